export * from './baseline.js';
export { noHistories, type Histories } from './changes.js';
export * from './compare.js';
export * from './crews.js';
export * from './compare.schema.js';
export * from './trend.js';
