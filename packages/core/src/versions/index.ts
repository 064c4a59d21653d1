export * from './version.js';
