export * from './prove.js';
export * from './told.js';
