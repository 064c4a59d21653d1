export * from './about.schema.js';
