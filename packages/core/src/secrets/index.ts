export * from './handed-secrets.js';
export * from './in-addresses.js';
export * from './kept-secrets.js';
export * from './known-secrets.js';
export * from './masks.js';
export * from './missing-secrets.js';
export * from './missing-name.js';
