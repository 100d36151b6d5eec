import { defineConfig } from 'vitest/config'

export default defineConfig({
  test: {
    projects: [
      {
        test: {
          // What computes keeps nothing between files: its modules are loaded once.
          name: 'core',
          include: ['src/core/**/*.test.ts', 'demo/**/*.test.ts'],
          isolate: false,
          environment: 'node',
          testTimeout: 30_000,
        },
      },
      {
        test: {
          name: 'unit',
          include: ['src/**/*.test.ts', 'scripts/**/*.test.mjs'],
          exclude: ['src/core/**', 'src/server/db/**', 'scripts/database.test.mjs'],
          environment: 'node',
          testTimeout: 30_000,
        },
      },
      {
        test: {
          name: 'database',
          include: ['src/server/db/**/*.test.ts', 'scripts/database.test.mjs'],
          environment: 'node',
          testTimeout: 30_000,
          fileParallelism: false,
        },
      },
      {
        test: {
          name: 'browser',
          globalSetup: 'e2e/end-demo.ts',
          include: ['e2e/**/*.test.ts'],
          environment: 'node',
          testTimeout: 120_000,
          hookTimeout: 300_000,
          fileParallelism: false,
        },
      },
    ],
    reporters: ['default', './scripts/closing-line.mjs'],
  },
})
