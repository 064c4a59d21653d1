export * from './address.js';
export * from './clearance.js';
export * from './clearance.schema.js';
export * from './compare-environments.js';
export * from './environment.schema.js';
export * from './target-policy.js';
export * from './target-states.js';
export * from './targets.js';
