import js from '@eslint/js'
import tseslint from 'typescript-eslint'

export default tseslint.config(
  { ignores: ['**/dist/', '**/node_modules/', '.cache/'] },
  js.configs.recommended,
  {
    files: ['**/*.ts', '**/*.tsx'],
    extends: [tseslint.configs.strictTypeChecked],
    languageOptions: { parserOptions: { project: './tsconfig.check.json', tsconfigRootDir: import.meta.dirname } },
    rules: {
      // Texts are taken apart by characters on purpose.
      '@typescript-eslint/no-misused-spread': ['error', { allow: [{ from: 'lib', name: 'string' }, 'string'] }],
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true, allowBoolean: true }],
      '@typescript-eslint/no-unnecessary-condition': ['error', { allowConstantLoopConditions: true }],
      '@typescript-eslint/switch-exhaustiveness-check': ['error', { considerDefaultExhaustiveForUnions: true }],
      '@typescript-eslint/no-confusing-void-expression': ['error', { ignoreArrowShorthand: true }],

      // What is taken out of a record by name is what the rest is without.
      '@typescript-eslint/no-unused-vars': ['error', { ignoreRestSiblings: true }],
    },
  },
  {
    // The protocol's low-level server is for advanced use, and so it is here.
    files: ['packages/serve/src/mcp/**'],
    rules: { '@typescript-eslint/no-deprecated': 'off' },
  },
  {
    // What is missing in a test fails it, whatever it is called.
    files: ['**/*.test.ts', '**/*.test.tsx', 'test/**'],
    rules: { '@typescript-eslint/no-non-null-assertion': 'off' },
  },
  {
    files: ['**/*.mjs', '**/*.js'],
    languageOptions: {
      globals: {
        process: 'readonly',
        console: 'readonly',
        performance: 'readonly',
        URL: 'readonly',
        setTimeout: 'readonly',
        clearTimeout: 'readonly',
        Buffer: 'readonly',
        AbortController: 'readonly',
        Response: 'readonly',
        fetch: 'readonly',
      },
    },
  },
  {
    // The core runs anywhere: nothing of a platform may be named in it.
    files: ['packages/core/src/**/*.ts'],
    ignores: ['**/*.test.ts'],
    rules: {
      'no-restricted-imports': ['error', { patterns: ['node:*', 'fs', 'path', 'crypto', 'os'] }],
      'no-restricted-globals': ['error', 'process', 'Buffer', 'console', 'document', 'window', 'setTimeout', 'fetch'],
    },
  },
)
