import regexp from 'eslint-plugin-regexp';
import tseslint from 'typescript-eslint';
import { ownLines } from './scripts/lint/own-lines.mjs';

/** How long a file and a function may be, and how many values a call may have whose meaning only the signature tells. */
const bounds = (own) => ({
  plugins: { verbalis: { rules: { 'own-lines': ownLines } } },
  rules: {
    'max-lines': ['error', { max: 400, skipBlankLines: true, skipComments: true }],
    'max-params': ['error', 4],
    'verbalis/own-lines': ['error', { max: own, whole: 200 }],
  },
});

export default tseslint.config(
  {
    ignores: [
      '**/dist/**',
      'packages/cli/bundle/**',
      'packages/service/drizzle.config.ts',
      '**/node_modules/**',
      'packages/client/src/generated/**',
      'packages/service/drizzle/**',
      'coverage/**',
    ],
  },
  ...tseslint.configs.strictTypeChecked.map((config) => ({ ...config, files: ['**/*.ts', '**/*.tsx'] })),
  {
    files: ['**/*.ts', '**/*.tsx'],
    languageOptions: {
      parserOptions: { project: ['./tsconfig.lint.json', './packages/console/tsconfig.json'], tsconfigRootDir: import.meta.dirname },
    },
    rules: {
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true }],
      '@typescript-eslint/no-confusing-void-expression': ['error', { ignoreArrowShorthand: true }],
      '@typescript-eslint/switch-exhaustiveness-check': ['error', { considerDefaultExhaustiveForUnions: false }],
      '@typescript-eslint/consistent-type-imports': 'error',
      // A parameter that only its caller knows (what kind of node a list holds) is worth its place.
      '@typescript-eslint/no-unnecessary-type-parameters': 'off',
      // There are no enums (see no-restricted-syntax); looking for them takes a seventh of the time.
      '@typescript-eslint/no-unsafe-enum-assignment': 'off',
      '@typescript-eslint/no-unsafe-enum-comparison': 'off',
      // Classes have private fields, so the compiler refuses what is not an instance; this is as long again as the slowest other rule.
      '@typescript-eslint/no-unsafe-class-instance-assignment': 'off',
      // Code points are what is wanted where a text is spread.
      '@typescript-eslint/no-misused-spread': 'off',
      'no-console': 'error',
      // A parameter is named for what it holds.
      'no-restricted-syntax': [
        'error',
        { selector: ':function > Identifier.params[name="one"]', message: 'Name the parameter for what it holds.' },
        { selector: 'TSEnumDeclaration', message: 'Use a union of literals.' },
      ],
      eqeqeq: 'error',
    },
  },
  { files: ['packages/*/src/**/*.ts'], ignores: ['**/*.test.ts'], ...bounds(60) },
  {
    // Whatever is read, a pattern takes time in proportion to it.
    files: ['packages/*/src/**/*.ts', 'packages/*/src/**/*.tsx'],
    ignores: ['**/*.test.ts'],
    plugins: { regexp },
    rules: {
      'regexp/no-super-linear-backtracking': ['error', { report: 'potential' }],
      'regexp/no-super-linear-move': ['error', { report: 'potential', ignoreSticky: true }],
    },
  },
  // Most lines of a component are markup.
  { files: ['packages/*/src/**/*.tsx'], ...bounds(100) },
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
