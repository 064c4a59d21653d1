export * from './notice.schema.js';
export * from './notice-document.js';
export * from './notice-secrets.js';
