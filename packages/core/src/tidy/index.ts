export * from './hosts.js';
export * from './left-out.js';
export * from './survey.js';
export * from './tidy.schema.js';
export * from './units.js';
export * from './warnings.js';
