export * from './check-templates.js';
export * from './check.js';
export * from './check.schema.js';
export * from './failure-sign.js';
