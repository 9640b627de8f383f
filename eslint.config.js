import js from '@eslint/js'
import { createTypeScriptImportResolver } from 'eslint-import-resolver-typescript'
import { createNodeResolver, importX } from 'eslint-plugin-import-x'
import hooks from 'eslint-plugin-react-hooks'
import globals from 'globals'
import tseslint from 'typescript-eslint'
import { ROOMS } from './scripts/lib/rooms.mjs'

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

const above = (room) => ({
  names: ROOMS.slice(ROOMS.indexOf(room) + 1).map((r) => `**/${r}/**`),
  why: 'This room must not look into one above it; see scripts/lib/rooms.mjs.',
})
const coreBorders = [workspace('engine', 'web'), builtins, interfaceCode]

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
    files: ['**/*.{ts,tsx}'],
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    rules: {
      '@typescript-eslint/no-floating-promises': 'error',
      '@typescript-eslint/no-misused-promises': [
        'error',
        { checksVoidReturn: { attributes: false, properties: false } },
      ],
      '@typescript-eslint/await-thenable': 'error',
    },
  },
  // Rows of a query are told their type by a cast, which this rule takes for a needless one.
  {
    files: ['**/*.{ts,tsx}'],
    ignores: ['engine/**', 'benchmarks/**'],
    rules: { '@typescript-eslint/no-unnecessary-type-assertion': 'error' },
  },
  {
    files: ['core/src/**/*.ts'],
    rules: {
      ...noImport(...coreBorders),
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
  ...ROOMS.slice(0, -1).map((room) => ({
    files: [`core/src/${room}/**/*.ts`],
    rules: noImport(...coreBorders, above(room)),
  })),
  {
    files: ['**/*.{ts,tsx}'],
    plugins: { 'import-x': importX },
    settings: {
      'import-x/extensions': ['.ts', '.tsx'],
      'import-x/parsers': { '@typescript-eslint/parser': ['.ts', '.tsx'] },
      'import-x/resolver-next': [
        createTypeScriptImportResolver({
          project: ['tsconfig.json', 'web/tsconfig.json'],
          noWarnOnMultipleProjects: true,
        }),
        createNodeResolver(),
      ],
    },
    rules: { 'import-x/no-cycle': ['error', { ignoreExternal: true }] },
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
    files: ['web/components/**/*.{ts,tsx}'],
    rules: noImport({
      names: ['@/stations/*', '@/desk/*'],
      why: 'Parts of the interface know no station and no page.',
    }),
  },
  {
    files: ['web/**/*.{ts,tsx}'],
    plugins: { 'react-hooks': hooks },
    rules: { 'react-hooks/rules-of-hooks': 'error', 'react-hooks/exhaustive-deps': 'error' },
  },
)
