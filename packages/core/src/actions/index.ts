export * from './http/request-parts.js';
export * from './http/request.schema.js';
export * from './http/sent-values.js';
