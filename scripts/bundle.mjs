// The core in one file. Its modules and packages are hundreds of files, which cost every process and thread that starts most of a second.
import { renameSync } from 'node:fs';
import { buildSync } from 'esbuild';

/** Bundles the core with its packages from `entry` into `outfile`, as an ES module or as what Jest requires. */
export function bundleCore(entry, outfile, format) {
  // Whoever reads the file meanwhile finds the old one or the new one, and no half of it.
  const written = `${outfile}.${process.pid}`;
  buildSync({
    entryPoints: [entry],
    outfile: written,
    bundle: true,
    platform: 'node',
    target: 'node20',
    format,
    // A package that is there as modules is bundled as such; some of the others look for files beside them.
    mainFields: ['module', 'main'],
    logLevel: 'warning',
    ...(format === 'esm' && {
      banner: { js: "import { createRequire } from 'node:module'; const require = createRequire(import.meta.url);" },
    }),
  });
  renameSync(written, outfile);
}
