export { findingsOf, type Finding } from './findings.js';
export { readMachineState, type MachineState, type ServerWish } from './machine-state.js';
