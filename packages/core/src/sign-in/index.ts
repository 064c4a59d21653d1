export * from './challenge.js';
export * from './credential.schema.js';
export * from './sign-in.js';
