/** Tests run the TypeScript sources as ESM; swc only strips types (the `types` script checks them). */
export default {
  roots: ['<rootDir>/packages', '<rootDir>/examples', '<rootDir>/test'],
  testMatch: ['**/*.test.ts', '**/*.test.tsx'],
  testEnvironment: 'node',
  extensionsToTreatAsEsm: ['.ts', '.tsx'],
  transform: {
    '^.+\\.tsx?$': ['@swc/jest', { jsc: { target: 'es2022', parser: { syntax: 'typescript', tsx: true } }, module: { type: 'es6' } }],
  },
  moduleNameMapper: { '^(\\.{1,2}/.*(?<!\\.json))\\.js$': '$1' },
  testEnvironmentOptions: { customExportConditions: ['@dunelight/source', 'node', 'node-addons'] },
  modulePathIgnorePatterns: ['/dist/'],
  workerIdleMemoryLimit: '256MB',
  // Most tests wait for the command: on two cores one worker would leave a core idle.
  maxWorkers: '100%',
  // Many tests start the command several times: on a loaded machine that takes its time.
  testTimeout: 90_000,
}
