export * from './project.schema.js';
