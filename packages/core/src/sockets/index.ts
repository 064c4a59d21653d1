export * from './join-takes.js';
export * from './message-type.js';
export * from './message-words.js';
export * from './unfold-sockets.js';
