#!/usr/bin/env node
import { spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

const main = new URL('../dist/main.js', import.meta.url);
if (!existsSync(main)) {
  // A fresh clone has not been built; the command line needs no more than the compiler for that.
  process.stderr.write('Building once…\n');
  const root = fileURLToPath(new URL('../../../', import.meta.url));
  const built = spawnSync(process.execPath, ['node_modules/typescript/bin/tsc', '-b'], { cwd: root, stdio: ['ignore', 2, 2] });
  if (built.status !== 0) {
    process.stderr.write('The build failed; see above. Run npm ci first.\n');
    process.exit(2);
  }
}
await import(main.href);
