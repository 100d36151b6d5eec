import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { ServerState } from '../ui/server-state.tsx'
import '@fontsource-variable/inter'
import './globals.css'

export const metadata: Metadata = { title: 'Zafiro', description: 'A mixing desk for light' }

export default function Layout({ children }: { children: ReactNode }) {
  return (
    <html lang="en" data-theme="zafiro">
      <body>
        <ServerState>{children}</ServerState>
      </body>
    </html>
  )
}
