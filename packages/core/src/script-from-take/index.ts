export * from './from-take.js';
export * from './socket-steps.js';
