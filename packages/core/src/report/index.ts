export * from './report.js';
export * from './report.schema.js';
