/** Where the generator's worker thread starts; alone in its file, because `import.meta` does not exist in Jest. */
export const generatorWorkerFile = new URL('./generator.worker.js', import.meta.url);
