export * from './history.schema.js';
export * from './project.schema.js';
