// Words of HTTP stand in the rooms of HTTP only: elsewhere an engineer who adds another kind of action would have to work around them.
// Part of `npm run walls`. Exit status 1 where such a word stands elsewhere, or where a place that is allowed needs it no more.
import { readdirSync, readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

const words = /\b(https?|headers?|cookies?|redirects?|hops?|statusText|WebSockets?)\b/i;

/** Folders that hold what is common to all kinds of actions. */
const common = [
  'engine/src',
  'core/src/measure',
  'core/src/analyse',
  'core/src/board',
  'core/src/workload',
  'server/src/conductor',
  'server/src/samples',
  'server/src/rows',
];
const rooms = ['engine/src/drivers/http/'];

/** Places outside of the rooms where such a word may stand, and why. */
const allowed = {
  'engine/src/index.ts': 'the public face of the package',
  'engine/src/drivers/kinds.ts': 'the table of kinds',
  'engine/src/drivers/browser/network-quiet.ts': 'a browser tells which of its requests stay open by their nature',
  'engine/src/drivers/browser/player-browser.ts': 'the address of its proxy',
  'engine/src/contract/judge-answer.ts': 'a handoff says which of several answers of a step it is read from',
  'engine/src/program/compile.ts': 'the cookie step, and code steps, need the driver of HTTP',
  'engine/src/play/virtual-user.ts': 'the cookie step, and code steps, reach into the driver of HTTP',
  'engine/src/sandbox/prelude.ts': 'code looks at answers of HTTP and changes requests',
  'engine/src/sandbox/sandbox.ts': 'code looks at answers of HTTP and changes requests',
  'engine/src/values/make-value.ts': 'the date of HTTP is a form of a value',
  'core/src/workload/forecast.ts': 'the cookie step; what was recorded of requests counts its redirects',
  'core/src/workload/workload.schema.ts': 'settings of a crew that make it like a browser',
  'core/src/workload/workload-file.ts': 'the first row of a CSV file is called its header',
};

const packages = fileURLToPath(new URL('../packages/', import.meta.url));
const found = new Set();
let problems = 0;
for (const folder of common)
  for (const name of readdirSync(packages + folder, { recursive: true })) {
    const file = `${folder}/${name}`;
    if (!file.endsWith('.ts') || /\.spec\.ts$|\/test\//.test(file) || rooms.some((room) => file.startsWith(room))) continue;
    for (const [at, line] of readFileSync(packages + file, 'utf8')
      .split('\n')
      .entries()) {
      const word = words.exec(line)?.[0];
      if (word === undefined) continue;
      found.add(file);
      if (file in allowed) continue;
      problems++;
      console.error(`packages/${file}:${at + 1}: “${word}” is a word of HTTP. Say it for all kinds of actions, or move it to ${rooms[0]}.`);
    }
  }
for (const file of Object.keys(allowed))
  if (!found.has(file)) {
    problems++;
    console.error(`packages/${file} needs no word of HTTP any more. Take it off the list in scripts/http-words.mjs.`);
  }
if (problems === 0) console.log(`Words of HTTP stand in its rooms, and in ${found.size} places that are allowed.`);
process.exit(problems === 0 ? 0 : 1);
