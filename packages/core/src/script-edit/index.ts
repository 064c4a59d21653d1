export * from './arrange.js';
export * from './bind-value.js';
export * from './coverage.js';
export * from './edit.js';
export * from './find-replace.js';
export * from './part.js';
export * from './use-places.js';
