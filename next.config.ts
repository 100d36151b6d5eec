import type { NextConfig } from 'next'

// Cross-origin isolation: the engine's workers share one memory.
const isolation = [
  { key: 'Cross-Origin-Opener-Policy', value: 'same-origin' },
  { key: 'Cross-Origin-Embedder-Policy', value: 'require-corp' },
]

const config: NextConfig = {
  serverExternalPackages: ['mysql2'],
  poweredByHeader: false,
  // Types are checked by npm test, all at once.
  typescript: { ignoreBuildErrors: true },
  devIndicators: false,
  headers: () => Promise.resolve([{ source: '/:path*', headers: isolation }]),
}
export default config
