import tseslint from 'typescript-eslint';

export default tseslint.config(
  {
    ignores: [
      '**/dist/**',
      'packages/service/drizzle.config.ts',
      '**/node_modules/**',
      'packages/client/src/generated/**',
      'packages/service/drizzle/**',
      'coverage/**',
    ],
  },
  ...tseslint.configs.strictTypeChecked.map((one) => ({ ...one, files: ['**/*.ts', '**/*.tsx'] })),
  {
    files: ['**/*.ts', '**/*.tsx'],
    languageOptions: {
      parserOptions: { project: ['./packages/*/tsconfig.json', './tsconfig.tests.json'], tsconfigRootDir: import.meta.dirname },
    },
    rules: {
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true }],
      '@typescript-eslint/no-confusing-void-expression': ['error', { ignoreArrowShorthand: true }],
      '@typescript-eslint/switch-exhaustiveness-check': ['error', { considerDefaultExhaustiveForUnions: false }],
      '@typescript-eslint/consistent-type-imports': 'error',
      // A parameter that only its caller knows (what kind of node a list holds) is worth its place.
      '@typescript-eslint/no-unnecessary-type-parameters': 'off',
      // Code points are what is wanted where a text is spread.
      '@typescript-eslint/no-misused-spread': 'off',
      'no-console': 'error',
      eqeqeq: 'error',
    },
  },
  {
    // What touches characters needs their names in patterns.
    files: ['packages/core/src/**'],
    rules: { 'no-control-regex': 'off', 'no-restricted-globals': ['error', 'process', 'console', 'setTimeout', 'setInterval', 'fetch'] },
  },
  {
    files: ['**/*.test.ts', 'tests/**'],
    rules: {
      '@typescript-eslint/no-non-null-assertion': 'off',
      '@typescript-eslint/no-unnecessary-condition': 'off',
      '@typescript-eslint/no-explicit-any': 'off',
      '@typescript-eslint/no-unsafe-return': 'off',
      '@typescript-eslint/no-unsafe-argument': 'off',
      '@typescript-eslint/no-unsafe-call': 'off',
      '@typescript-eslint/require-await': 'off',
      '@typescript-eslint/no-unsafe-assignment': 'off',
      '@typescript-eslint/no-unsafe-member-access': 'off',
      'no-restricted-globals': 'off',
    },
  },
  {
    files: ['scripts/**', 'bench/**', '*.js', '*.cjs', 'packages/cli/bin/**', 'tests/**/*.mjs'],
    extends: [tseslint.configs.disableTypeChecked],
    rules: { 'no-console': 'off', '@typescript-eslint/no-require-imports': 'off' },
  },
);
