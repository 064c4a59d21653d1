const { createCjsPreset } = require('jest-preset-angular/presets');

// Packages that ship ES modules in plain .js files (.mjs files are always transformed by the preset).
const esmOnly = '(echarts|zrender|htmlparser2|parse5|domhandler|domutils|domelementtype|dom-serializer|entities|csv-parse|lodash-es)';
const preset = createCjsPreset({ testEnvironment: 'jest-preset-angular/environments/jest-jsdom-env' });

/** @type {import('jest').Config} */
module.exports = {
  ...preset,
  roots: ['<rootDir>/src'],
  globalSetup: '<rootDir>/../../scripts/jest-setup.mjs',
  // The first test of a file loads its screen, which takes a busy machine longer than Jest waits by itself.
  testTimeout: 30_000,
  setupFilesAfterEnv: ['<rootDir>/jest.setup.ts'],
  transformIgnorePatterns: [`/node_modules/(?!${esmOnly}/|.*\\.mjs$)`, '/\\.sturdy/'],
  transform: {
    // must come first: swc is far faster than the preset's TypeScript on these hundreds of files
    [`/node_modules/${esmOnly}/.+\\.js$`]: ['@swc/jest', { jsc: { target: 'es2022' }, module: { type: 'commonjs' } }],
    ...preset.transform,
  },
  moduleNameMapper: {
    // What runs in browsers is no module that Jest loads.
    '^csv-stringify/browser/esm/sync$': 'csv-stringify/sync',
    // The sources of the core as they are now, in one file that `globalSetup` writes.
    '^@sturdy/core$': '<rootDir>/../../.sturdy/core-for-tests.cjs',
    '^(\\.{1,2}/.*)\\.js$': '$1',
  },
};
