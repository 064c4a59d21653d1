export * from './failure-codes.js';
export * from './failure-reason.js';
