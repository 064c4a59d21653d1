export { compile, CompileError, type Program, type Scope } from './program/compile.js';
export type { Driver, WireRequest, WireResponse } from './drivers/driver.js';
export { HttpDriver, type HttpDriverOptions } from './drivers/http/http-driver.js';
export { VirtualUser, type Observer, type PlayedStep } from './play/virtual-user.js';
export { rehearse, type RehearsalCapture } from './play/rehearse.js';
export { Generator } from './generator/generator.js';
export { generatorWorkerFile } from './generator/worker-file.js';
export * from './generator/messages.js';
