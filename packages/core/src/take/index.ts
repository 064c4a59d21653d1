export * from './browser-hosts.js';
export * from './messages.js';
export * from './name-suggestions.js';
export * from './recording.schema.js';
export * from './rendered-page.js';
export * from './search.js';
export * from './take.schema.js';
