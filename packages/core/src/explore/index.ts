export * from './question-tables.js';
export * from './question.schema.js';
export * from './run-tables.js';
export * from './saved-view.schema.js';
export * from './series.js';
