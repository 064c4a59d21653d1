export * from './board.js';
