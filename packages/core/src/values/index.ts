export * from './encoding.js';
export * from './in-form.js';
export * from './multipart.js';
export * from './template.js';
export * from './template.schema.js';
export * from './value-form.js';
export * from './value-tree.js';
