export * from './baseline.js';
export * from './compare.js';
export * from './crews.js';
export * from './compare.schema.js';
export * from './trend.js';
