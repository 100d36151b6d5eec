import type { NextConfig } from 'next'

const config: NextConfig = {
  serverExternalPackages: ['mysql2', 'bullmq', 'ioredis'],
  poweredByHeader: false,
  // Types are checked by npm test, all at once.
  typescript: { ignoreBuildErrors: true },
  devIndicators: false,
}
export default config
