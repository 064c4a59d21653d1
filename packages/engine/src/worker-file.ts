/** Where worker threads start; alone in this file, because `import.meta` does not exist in Jest. */
export const generatorWorkerFile = new URL('./generator/generator.worker.js', import.meta.url);
export const sandboxWorkerFile = new URL('./sandbox/sandbox.worker.js', import.meta.url);
export const rehearsalWorkerFile = new URL('./play/rehearsal.worker.js', import.meta.url);
