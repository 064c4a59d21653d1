export * from './brief.schema.js';
export * from './brief-criteria.js';
export * from './brief-document.js';
export * from './brief-view.schema.js';
export * from './signature.js';
export * from './sizing.js';
export * from './templates.js';
export * from './topology.js';
