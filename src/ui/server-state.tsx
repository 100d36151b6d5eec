'use client'

import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import { AnswerError } from './request-json.ts'

/** What comes from the server is kept and asked for anew by one client for the whole page. */
export function ServerState({ children }: { children: ReactNode }) {
  const [client] = useState(
    () =>
      new QueryClient({
        defaultOptions: {
          queries: {
            staleTime: 5000,
            // A server that does not answer is tried again; what it refuses stays refused.
            retry: (count, error) => count < 2 && error instanceof AnswerError && error.status === 0,
          },
        },
      }),
  )
  return <QueryClientProvider client={client}>{children}</QueryClientProvider>
}
