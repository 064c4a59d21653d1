export { checkProject, type ProjectFault } from './check-project.js';
export { openProjectFolder, outgoing, writeProjectFolder, type WrittenFolder } from './project-folder.js';
export type { OutgoingFile, ProjectSource } from './project-source.js';
export { openProjectZip, writeProjectZip } from './project-zip.js';
export { inTemporaryFolder } from '../temporary/temporary-folder.js';
