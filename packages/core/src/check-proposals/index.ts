export * from './suggest-checks.js';
export * from './try-check.js';
