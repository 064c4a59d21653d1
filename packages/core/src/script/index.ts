export * from './script-version.js';
export * from './script-targets.js';
export * from './script.schema.js';
export * from './stored-script.schema.js';
export * from './shown-signs.js';
export * from './step-templates.js';
export * from './step.schema.js';
