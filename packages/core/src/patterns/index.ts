export * from './pattern-file.js';
export * from './pattern.schema.js';
export * from './published.js';
export * from './ready-pattern.js';
