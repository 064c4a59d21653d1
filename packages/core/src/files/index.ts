export * from './check-file.js';
export * from './file-schemas.js';
