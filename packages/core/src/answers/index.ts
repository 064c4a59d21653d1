export * from './html.js';
export * from './response-view.js';
