export * from './curl/curl.js';
export * from './har/har-stream.js';
export * from './har/har.js';
export * from './script-text/script-reader.js';
export * from './script-text/script-text.schema.js';
export * from './script-text/script-writer.js';
export * from './script-text/template-text.js';
export * from './yaml-text.js';
