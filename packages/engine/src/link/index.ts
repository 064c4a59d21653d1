export * from './envelope.js';
export * from './link.js';
export * from './seal.js';
