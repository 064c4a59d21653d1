export * from './frame.schema.js';
export * from './samples.js';
export * from './tally.js';
export * from './tally.schema.js';
