export default {
  testMatch: ['<rootDir>/{core,server,web,demo}/**/*.test.ts', '<rootDir>/tests/**/*.test.ts'],
  extensionsToTreatAsEsm: ['.ts'],
  transform: { '^.+\\.ts$': ['@swc/jest', { jsc: { parser: { syntax: 'typescript' }, target: 'es2022' }, module: { type: 'es6' } }] },
  testTimeout: 60_000,
  maxWorkers: 2,
}
