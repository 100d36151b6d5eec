import boundaries from 'eslint-plugin-boundaries'
import hooks from 'eslint-plugin-react-hooks'
import tseslint from 'typescript-eslint'

// What may import what: core ← server, workers ← ui ← app.
const layers = {
  core: ['core'],
  contracts: ['core', 'contracts'],
  server: ['core', 'contracts', 'server'],
  // Of the server, the interface may know the shapes of its answers.
  ui: ['core', 'contracts', 'ui', 'server'],
  app: ['core', 'contracts', 'ui', 'server', 'app'],
  cli: ['core', 'contracts', 'server', 'cli'],
  demo: ['core', 'server', 'demo'],
  trials: ['core', 'server', 'trials'],
}

export default tseslint.config(
  {
    ignores: [
      'node_modules',
      '.next',
      'dist',
      '.zafiro',
      '**/*.gen.ts',
      'src/core/kernels/assembly',
      'demo/assembly',
      'src/core/codec/assembly',
      'next-env.d.ts',
    ],
  },
  {
    files: ['**/*.ts', '**/*.tsx'],
    extends: [tseslint.configs.strictTypeChecked],
    plugins: { boundaries },
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    settings: {
      'boundaries/elements': [
        ...['core', 'contracts', 'server', 'ui', 'app', 'cli'].map((type) => ({
          type,
          pattern: `src/${type}`,
        })),
        { type: 'demo', pattern: 'demo' },
        { type: 'trials', pattern: 'trials' },
      ],
      'import/resolver': { node: { extensions: ['.ts', '.tsx'] } },
    },
    rules: {
      'boundaries/dependencies': [
        'error',
        {
          default: 'disallow',
          policies: Object.entries(layers).map(([from, to]) => ({
            from: { element: { type: from } },
            allow: { to: { element: { type: to } } },
          })),
        },
      ],
      '@typescript-eslint/no-non-null-assertion': 'off',
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true }],
      '@typescript-eslint/unbound-method': 'off',
      'prefer-const': ['error', { destructuring: 'all' }],
    },
  },
  {
    files: ['src/core/**/*.ts'],
    ignores: ['**/*.test.ts'],
    rules: {
      'no-restricted-imports': [
        'error',
        { patterns: ['node:*', 'react*', 'next*', 'mysql2*', 'sharp', '**/server/**', '**/ui/**'] },
      ],
    },
  },
  {
    // The interface may import types of the server, never its code.
    files: ['src/ui/**/*.{ts,tsx}'],
    rules: {
      '@typescript-eslint/no-restricted-imports': [
        'error',
        { patterns: [{ group: ['**/server/**'], allowTypeImports: true }] },
      ],
    },
  },
  { files: ['**/*.tsx'], ...hooks.configs.flat['recommended-latest'] },
  {
    files: ['**/*.test.ts', 'e2e/**/*.ts'],
    rules: {
      '@typescript-eslint/no-unsafe-assignment': 'off',
      '@typescript-eslint/no-unsafe-member-access': 'off',
    },
  },
)
