export * from './figures.js';
export * from './open-metrics.js';
export * from './watch.schema.js';
