export * from './file-paths.js';
export * from './folder-sync.js';
export * from './fresh-ids.js';
export * from './project-file.schema.js';
export * from './rows-text.js';
