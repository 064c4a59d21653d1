export * from './blocked-scores.js';
export * from './hypergeometric.js';
export * from './correlation.js';
export * from './curve-fit.js';
export * from './interval.js';
export * from './scalability.js';
export * from './segmented.js';
export * from './trend.js';
