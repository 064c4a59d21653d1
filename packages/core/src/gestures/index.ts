export * from './answered-otherwise.js';
export * from './caused-by.js';
export * from './gesture-words.js';
export * from './other-values.js';
export * from './plan-second-take.js';
export * from './second-take.schema.js';
