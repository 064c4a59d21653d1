export * from './environment-file.js';
export * from './environment.schema.js';
export * from './targets.js';
