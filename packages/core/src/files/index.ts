export * from './check-file.js';
export * from './file-schemas.js';
export * from './environment-file.js';
