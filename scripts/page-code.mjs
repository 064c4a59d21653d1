// The programs that run inside pages of the system under test, each in one text: `packages/page/types/index.d.ts` says what they are.
import { mkdirSync, renameSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { argv } from 'node:process';
import { fileURLToPath } from 'node:url';
import { buildSync } from 'esbuild';

const root = fileURLToPath(new URL('..', import.meta.url));

const textOf = (entry, options) =>
  buildSync({
    entryPoints: [join(root, 'packages/page/src', entry)],
    bundle: true,
    write: false,
    format: 'iife',
    platform: 'browser',
    target: 'chrome100',
    minify: true,
    charset: 'ascii',
    logLevel: 'warning',
    ...options,
  }).outputFiles[0].text;

/** Something that a module exports, as an expression. */
const asExpression = (entry, name) => `(() => {${textOf(entry, { globalName: 'module' })};return module.${name}})()`;

/** Writes the programs into `outfile`, as an ES module or as what Jest requires. */
export function bundlePage(outfile, format) {
  const programs = {
    recorderCode: textOf('recorder.ts', {}),
    finderCode: asExpression('sighting.ts', 'sight'),
    aimsCode: asExpression('aims.ts', 'aimsAt'),
  };
  const lines = Object.entries(programs).map(([name, text]) =>
    format === 'esm' ? `export const ${name} = ${JSON.stringify(text)};` : `exports.${name} = ${JSON.stringify(text)};`,
  );
  mkdirSync(dirname(outfile), { recursive: true });
  const written = `${outfile}.${process.pid}`;
  writeFileSync(written, `${lines.join('\n')}\n`);
  renameSync(written, outfile);
}

if (argv[1] === fileURLToPath(import.meta.url)) bundlePage(join(root, 'packages/page/dist/page-code.js'), 'esm');
