export * from './day-text.js';
export * from './document.schema.js';
export * from './html.js';
export * from './markdown.js';
