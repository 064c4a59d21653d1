// Examples of what each version of the product kept in its database, which every later version has to open (`upgrade.spec.ts`).
//   node scripts/kept-schema.mjs keep DATA-FOLDER          keeps what the database of a data folder holds as the example of its schema. Run it before a new
//                                                          migration is released, on a folder that holds something of each kind and that no server has open.
//   node scripts/kept-schema.mjs make NUMBER DATA-FOLDER   makes a data folder as the version with so many migrations left it.
import { copyFileSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gunzipSync, gzipSync } from 'node:zlib';
import { fileURLToPath } from 'node:url';

// The packages of the server: nothing else here knows its database.
const server = fileURLToPath(new URL('../packages/server/', import.meta.url));
const { resolve } = createRequire(join(server, 'package.json'));
const { PGlite } = await import(resolve('@electric-sql/pglite'));
const migrationsFolder = join(server, 'migrations');
const example = (migrations) => join(server, 'src/store/fixtures', `schema-${migrations}.json.gz`);

async function keep(data) {
  const migrations = readdirSync(migrationsFolder).filter((name) => name.endsWith('.sql')).length;
  const database = await PGlite.create(join(data, 'pg'));
  const names = await database.query(`select table_name from information_schema.tables where table_schema = 'public' order by 1`);
  const tables = {};
  for (const { table_name: name } of names.rows) {
    const { rows } = await database.query(`select * from "${name}"`);
    for (const row of rows)
      for (const [column, value] of Object.entries(row))
        if (value instanceof Uint8Array) row[column] = { base64: Buffer.from(value).toString('base64') };
    if (rows.length > 0) tables[name] = rows;
  }
  writeFileSync(example(migrations), gzipSync(JSON.stringify({ migrations, tables }), { level: 9 }));
  const counts = Object.entries(tables).map(([name, rows]) => `${name} ${rows.length}`);
  process.stdout.write(`${example(migrations)}: ${counts.join(', ')}\n`);
}

const asParameter = (value) => {
  if (value?.base64 !== undefined) return Buffer.from(value.base64, 'base64');
  return typeof value === 'object' && value !== null ? JSON.stringify(value) : value;
};

async function make(number, data) {
  const { drizzle } = await import(resolve('drizzle-orm/pglite'));
  const { migrate } = await import(resolve('drizzle-orm/pglite/migrator'));
  const { migrations, tables } = JSON.parse(gunzipSync(readFileSync(example(number))).toString('utf8'));
  const some = mkdtempSync(join(tmpdir(), 'sturdy-migrations-'));
  const journal = JSON.parse(readFileSync(join(migrationsFolder, 'meta', '_journal.json'), 'utf8'));
  const entries = journal.entries.slice(0, migrations);
  mkdirSync(join(some, 'meta'));
  writeFileSync(join(some, 'meta', '_journal.json'), JSON.stringify({ ...journal, entries }));
  for (const { tag } of entries) copyFileSync(join(migrationsFolder, `${tag}.sql`), join(some, `${tag}.sql`));
  mkdirSync(data, { recursive: true });
  const client = await PGlite.create(join(data, 'pg'));
  await migrate(drizzle(client), { migrationsFolder: some });
  for (const [table, rows] of Object.entries(tables))
    for (const row of rows) {
      const columns = Object.keys(row);
      const names = columns.map((column) => `"${column}"`).join(', ');
      const places = columns.map((_, at) => `$${at + 1}`).join(', ');
      await client.query(
        `insert into "${table}" (${names}) overriding system value values (${places})`,
        Object.values(row).map(asParameter),
      );
    }
  await client.close();
  rmSync(some, { recursive: true });
}

const [what, ...args] = process.argv.slice(2);
if (what === 'keep' && args.length === 1) await keep(...args);
else if (what === 'make' && args.length === 2) await make(...args);
else {
  process.stderr.write('usage: node scripts/kept-schema.mjs keep DATA-FOLDER | make NUMBER DATA-FOLDER\n');
  process.exit(2);
}
// What the embedded database leaves open would keep the process alive.
process.exit();
