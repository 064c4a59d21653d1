export * from './captured-answer.js';
export * from './action-kinds.js';
export * from './action-step.schema.js';
export * from './http/captured-request.schema.js';
export * from './http/request.schema.js';
export * from './http/request-parts.js';
export * from './http/sent-values.js';
export * from './line/line.schema.js';
