export * from './api.schema.js';
export * from './live-events.js';
