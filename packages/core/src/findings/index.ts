export * from './find.js';
export * from './finding-rules.schema.js';
export * from './finding.schema.js';
export { clockText, figureText, prepareGround, type FindingGround, type PlayedTable, type PreparedGround } from './ground.js';
export { kneeOf, type Knee } from './knee.js';
export { loadLevels, type LoadLevel } from './load-levels.js';
