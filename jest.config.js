import { availableParallelism } from 'node:os';
import { testBundle } from './tests/support/bundle.mjs';

const shared = {
  testMatch: ['**/*.test.ts', '**/*.test.tsx'],
  testPathIgnorePatterns: ['/node_modules/', '/dist/'],
  modulePathIgnorePatterns: ['/dist/'],
  extensionsToTreatAsEsm: ['.ts', '.tsx'],
};
const outside = {
  testEnvironment: '<rootDir>/tests/support/environment.mjs',
  transform: { '\\.tsx?$': '<rootDir>/tests/support/transform.mjs' },
};
const names = {
  // The same cases each time on CI.
  '^fast-check$': '<rootDir>/tests/support/fast-check.ts',
  '^styled-components$': '<rootDir>/tests/support/styled-components.mjs',
  '^(\\.{1,2}/(?!.*node_modules).*)\\.js$': '$1',
};

/** @returns {Promise<import('jest').Config>} */
export default async () => ({
  projects: [
    {
      ...shared,
      ...outside,
      displayName: 'whole',
      roots: ['<rootDir>/tests', '<rootDir>/examples'],
      moduleNameMapper: { ...names, '^@verbalis/(.*)$': `${await testBundle()}/@verbalis/$1.js` },
    },
    {
      ...shared,
      ...outside,
      displayName: 'parts',
      roots: ['cli', 'client', 'core', 'service', 'simulators', 'test-kit'].map((name) => `<rootDir>/packages/${name}/src`),
      moduleNameMapper: {
        ...names,
        '^@verbalis/core/(.*)$': '<rootDir>/packages/core/src/$1/index.ts',
        '^@verbalis/service$': '<rootDir>/packages/service/src/app/index.ts',
        '^@verbalis/service/endpoints$': '<rootDir>/packages/service/src/app/endpoints.ts',
        '^@verbalis/service/preview$': '<rootDir>/packages/service/src/app/preview.ts',
        '^@verbalis/service/(settings|kernel|records)$': '<rootDir>/packages/service/src/$1/index.ts',
        '^@verbalis/service/(.*)$': '<rootDir>/packages/service/src/features/$1/index.ts',
        '^@verbalis/test-kit/jest$': '<rootDir>/packages/test-kit/src/jest.ts',
        '^@verbalis/(client|simulators|test-kit)$': '<rootDir>/packages/$1/src/index.ts',
      },
    },
    {
      ...shared,
      displayName: 'console',
      testEnvironment: 'node',
      setupFiles: ['<rootDir>/tests/support/dom-setup.cjs'],
      roots: ['<rootDir>/packages/console/src'],
      transform: { '\\.tsx?$': ['<rootDir>/tests/support/transform.mjs', { inside: true }] },
      moduleNameMapper: {
        ...names,
        '^@verbalis/client$': '<rootDir>/packages/client/src/index.ts',
      },
    },
  ],
  // The same as LIMITS.test of tests/support/limits.ts.
  testTimeout: 300_000,
  // Two more than there are processors: suites wait for servers, browsers and leases.
  maxWorkers: availableParallelism() + 2,
  // Suites leave something of themselves in a worker: after two hundred it held 4 GB, which a small machine does not have.
  workerIdleMemoryLimit: '1500MB',
});
