import js from '@eslint/js'
import hooks from 'eslint-plugin-react-hooks'
import globals from 'globals'
import tseslint from 'typescript-eslint'

/** Rooms may only look into the rooms below them. */
const noImport = (...groups) => ({
  'no-restricted-imports': ['error', { patterns: groups.map((g) => ({ group: g.names, message: g.why })) }],
})
const workspace = (...names) => ({
  names: names.flatMap((n) => [`@holosoma/${n}`, `@holosoma/${n}/*`]),
  why: 'This workspace must not depend on that one.',
})
const builtins = {
  names: ['node:*', 'fs', 'fs/*', 'path', 'os', 'crypto', 'worker_threads', 'child_process', 'stream', 'stream/*'],
  why: 'The core runs in browsers too: no Node built-ins.',
}
const interfaceCode = {
  names: ['react', 'react-dom', 'react/*', 'next', 'next/*', 'three', 'three/*'],
  why: 'The core holds no interface code.',
}

export default tseslint.config(
  { ignores: ['**/node_modules/', '**/dist/', '**/.next/', '.holosoma/', 'test-results/', 'web/next-env.d.ts'] },
  js.configs.recommended,
  ...tseslint.configs.recommended,
  {
    rules: {
      '@typescript-eslint/no-non-null-assertion': 'off',
      '@typescript-eslint/no-unused-vars': ['error', { varsIgnorePattern: '^_', argsIgnorePattern: '^_' }],
      'prefer-const': ['error', { destructuring: 'all' }],
      eqeqeq: 'error',
    },
  },
  {
    files: ['core/src/**/*.ts'],
    rules: {
      ...noImport(workspace('engine', 'web'), builtins, interfaceCode),
      'no-restricted-globals': [
        'error',
        ...[
          'window',
          'document',
          'performance',
          'Date',
          'process',
          'Buffer',
          'setTimeout',
          'setInterval',
          'requestAnimationFrame',
          'fetch',
          'localStorage',
        ].map((name) => ({ name, message: 'The core has no clock, no page and no Node; the host brings them.' })),
      ],
      'no-restricted-properties': [
        'error',
        { object: 'Math', property: 'random', message: 'Use the seeded generator of the context.' },
      ],
    },
  },
  // A test may use what the host has.
  {
    files: ['core/src/**/*.test.ts', 'core/src/testing/cpu.ts'],
    rules: { 'no-restricted-globals': 'off', 'no-restricted-imports': 'off' },
  },
  { files: ['engine/src/**/*.ts'], rules: noImport(workspace('web'), interfaceCode) },
  { files: ['cli/src/**/*.ts'], rules: noImport(workspace('engine', 'web'), interfaceCode) },
  { files: ['**/*.mjs', 'cli/bin/*', 'scripts/**'], languageOptions: { globals: globals.node } },
  {
    files: ['web/**/*.{ts,tsx}'],
    plugins: { 'react-hooks': hooks },
    rules: { 'react-hooks/rules-of-hooks': 'error', 'react-hooks/exhaustive-deps': 'error' },
  },
)
