export * from './history.schema.js';
export * from './judged-by.js';
export * from './project.schema.js';
export * from './project-line.js';
