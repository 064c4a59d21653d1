import pg from 'pg';
import { hasPostgres, startPostgres } from '../test/postgres.js';
import type { Store } from '../store/store-client.js';
import type { NewTable } from '../store/table-repository.js';
import { queryOwnTables } from './query-own-tables.js';
import { onlyHere } from '../test/reach.js';
import { databaseOriginOf, oneStatement, queryTable, tryQuery } from './query-table.js';

/** A store of data tables, as the product keeps them. */
const storeOf = (...tables: { name: string; columns: [string, 'text' | 'number'][]; rows: string[][] }[]): Store =>
  ({
    tables: () =>
      Promise.resolve(
        tables.map(({ name, columns, rows }) => ({
          id: name,
          name,
          rowCount: rows.length,
          columns: columns.map(([column, kind]) => ({ name: column, kind, unique: false })),
        })),
      ),
    rows: (id: string, from: number, count: number) =>
      Promise.resolve(
        (tables.find((table) => table.name === id)?.rows ?? [])
          .map((values, at) => ({ row: at + 1, values, spentBy: at === 0 ? 'run 1' : null }))
          .slice(from - 1, from - 1 + count),
      ),
  }) as unknown as Store;
const lots = { name: 'Lots', columns: [['lot', 'text'], ['kg', 'number'], ['row', 'text']] as [string, 'text' | 'number'][], rows: [['A1', '20', 'x'], ['A2', '3.5', 'y'], ['B"1', 'n/a', ''], ['B2', '7', 'z']] }; // prettier-ignore
const growers = { name: 'Growers "north"', columns: [['grower', 'text']] as [string, 'text'][], rows: [['Ann'], ['Bo']] };
const store = storeOf(lots, growers);
const never = new AbortController().signal;

describe('a query for a table', () => {
  it('is one that reads', () => {
    expect(oneStatement(' select 1; ')).toBe('select 1');
    expect(oneStatement('select \';\' as "a;b" -- a; comment\n, $x$;$x$ /* ; */')).toContain('select');
    expect(() => oneStatement('select 1; drop table t')).toThrow('one query only');
    // A name may end in dollar signs, which begin no quote (PostgreSQL, 4.1.2.4).
    expect(() => oneStatement('select 1 as a$$ ; commit; drop table t; select 2 as b$$')).toThrow('one query only');
    for (const bad of ['delete from t', 'update t set a = 1', 'copy t to program $$x$$', 'call f()'])
      expect(() => oneStatement(bad)).toThrow('Only queries that read');
  });

  it('asks databases of this machine alone where no other is cleared', async () => {
    await expect(tryQuery(store, 'p', { address: 'postgres://db.example:5432/x', sql: 'select 1' }, onlyHere)).rejects.toThrow(
      'postgres://db.example:5432 is not a target of the environment “Here”',
    );
    await expect(
      tryQuery(store, 'p', { address: 'postgres://a:b@127.0.0.1:1/x?host=db.example', sql: 'select 1' }, onlyHere),
    ).rejects.toThrow('postgres://db.example:1 is not a target of the environment “Here”');
    await expect(tryQuery(store, 'p', { address: 'here', sql: 'select 1' }, onlyHere)).rejects.toThrow(
      'Write the address of the database as',
    );
    await expect(tryQuery(store, 'p', { address: 'postgres://a:b@127.0.0.1:1/x', sql: 'select 1' }, onlyHere)).rejects.toThrow(
      'does not let us in',
    );
  });

  it('names the database that it asks as a target, where the driver reads one', () => {
    const addresses = [
      'own',
      'here',
      'postgres://a@[::1]/x',
      'postgres://a@127.0.0.1:1/x?host=db.example',
      'postgres://a@h/x?sslcert=/nowhere',
    ];
    expect(addresses.map(databaseOriginOf)).toEqual([null, null, 'postgres://[::1]:5432', 'postgres://db.example:1', null]);
  });
});

describe('a query of the data tables of a project', () => {
  const ask = (sql: string, most = 100, limitMs?: number, signal?: AbortSignal) => queryOwnTables(store, 'p', sql, most, signal, limitMs);

  it('joins and counts them, numbers as numbers, with their rows and who spent them', async () => {
    expect(await ask('select lot, kg from "Lots" where kg > 3 order by kg desc', 2)).toEqual({
      columns: ['lot', 'kg'],
      rows: [
        ['A1', '20'],
        ['B2', '7'],
      ],
    });
    const free = await ask(
      'select l.lot || l.row, g.grower as name from "Lots" l, "Growers ""north""" g where l.spent_by is null and l.kg is null and l." row" = 3',
    );
    expect(free.rows).toEqual([
      ['B"1', 'Ann'],
      ['B"1', 'Bo'],
    ]);
  });

  it('says which tables there are, and what the database says', async () => {
    await expect(ask('select * from scripts')).rejects.toThrow('There are: "Lots" (lot, kg, row); "Growers ""north""" (grower)');
    await expect(ask('select * from "Lots" l, environments e')).rejects.toThrow('relation "environments" does not exist');
    await expect(ask('select kg, lot as kg from "Lots"')).rejects.toThrow('Two columns are called “kg”');
    await expect(queryOwnTables(storeOf(), 'p', 'select 1', 1)).rejects.toThrow('has no data table yet');
    const long = storeOf({ ...growers, rows: { length: 600_000 } as string[][] });
    await expect(queryOwnTables(long, 'p', 'select * from "Growers ""north"""', 1)).rejects.toThrow('600,000 rows, and at most 500,000');
  });

  const forever = 'select count(*) from "Lots" a, generate_series(1, 100000000) b, generate_series(1, 100000000) c';

  it('changes nothing', async () => {
    await expect(ask('with gone as (delete from "Lots" returning lot) select * from gone')).rejects.toThrow('data-modifying');
  });

  it('is ended when it takes too long', async () => {
    await expect(ask(forever, 1, 500)).rejects.toThrow('The query took longer than');
  });

  it('is ended when it is given up', async () => {
    const cancel = new AbortController();
    const asking = ask(forever, 1, 60_000, cancel.signal);
    setTimeout(() => {
      cancel.abort();
    }, 3000);
    await expect(asking).rejects.toThrow('given up');
  });

  it('is ended, too, when it was given up before its thread had begun', async () => {
    await expect(ask(forever, 1, 60_000, AbortSignal.abort())).rejects.toThrow('given up');
  });
});

(hasPostgres ? describe : describe.skip)('a query of a PostgreSQL server', () => {
  let address = '';
  let stop: () => Promise<void>;
  let asOwner: (sql: string) => Promise<void>;
  const made: { table: NewTable | null; rows: string[][]; deleted: number } = { table: null, rows: [], deleted: 0 };
  const keeping = {
    importRows: (_id: string, _before: number, rows: string[][]) => Promise.resolve(void made.rows.push(...rows)),
    saveTable: (table: NewTable) => Promise.resolve(void (made.table = table)),
    deleteTable: () => {
      made.deleted++;
      return Promise.resolve();
    },
  } as unknown as Store;
  beforeAll(async () => {
    const server = await startPostgres();
    ({ stop } = server);
    const owner = server.url;
    address = owner.replace('sturdy@', 'reader@');
    asOwner = async (sql) => {
      const client = new pg.Client({ connectionString: owner });
      await client.connect();
      await client.query(sql);
      await client.end();
    };
    await asOwner(
      "create table loads as select n as id, 'TWCU' || n as container, n * 1.50 as kg, date '2026-11-25' + (n % 7) as due, n % 2 = 0 as frozen, null::text as remark from generate_series(1, 12000) n",
    );
    await asOwner('create role reader login; grant select on loads to reader');
  }, 60_000);
  afterAll(() => stop());

  it('shows its first rows as the database writes them', async () => {
    const { columns, rows } = await tryQuery(keeping, 'p', { address, sql: 'select * from loads order by id' }, onlyHere);
    expect(columns).toEqual(['id', 'container', 'kg', 'due', 'frozen', 'remark']);
    expect([rows.length, rows[1]]).toEqual([20, ['2', 'TWCU2', '3.00', '2026-11-27', 't', '']]);
  });

  it('becomes a table of all its rows, with the kinds of its columns', async () => {
    const progress: number[] = [];
    const table = await queryTable(
      keeping,
      { address, sql: 'select id, kg, due from loads' },
      { projectId: 'p', name: 'T' },
      onlyHere,
      (rows) => progress.push(rows),
      never,
    );
    expect([table.rowCount, made.rows.length, progress]).toEqual([12_000, 12_000, [5000, 10_000, 12_000]]);
    expect(made.table?.columns.map((column) => [column.name, column.kind])).toEqual([
      ['id', 'number'],
      ['kg', 'number'],
      ['due', 'date'],
    ]);
  });

  it('is made by an account that may only read, and the way to one is told', async () => {
    const asked = (user: string) =>
      tryQuery(keeping, 'p', { address: address.replace('reader@', `${user}@`), sql: 'select count(*) from loads' }, onlyHere);
    await expect(asked('sturdy')).rejects.toThrow(
      "The account sturdy is a superuser, and queries are made only by an account that may do nothing but read. Make one: create role reader login password '…'; grant connect on database postgres",
    );
    await asOwner('create role signals login in role pg_signal_backend; grant select on loads to signals');
    await expect(asked('signals')).rejects.toThrow('is a member of pg_signal_backend');
    await asOwner('create role clerk login; grant select, update on loads to clerk');
    await expect(asked('clerk')).rejects.toThrow('The account clerk may change loads');
    expect((await asked('reader')).rows).toEqual([['12000']]);
  });

  it('changes nothing, whatever it calls, and tells the sentence of the database', async () => {
    await expect(
      tryQuery(keeping, 'p', { address, sql: 'with gone as (delete from loads returning id) select * from gone' }, onlyHere),
    ).rejects.toThrow();
    await expect(tryQuery(keeping, 'p', { address, sql: "select setval('nothing', 1)" }, onlyHere)).rejects.toThrow();
    // Past our own look at the text, the database takes one statement only.
    const past = 'select 1 as "a" /* " */ ; commit; drop table loads; select 2 as "b" /* " */';
    expect(() => oneStatement(past)).toThrow();
    await expect(tryQuery(keeping, 'p', { address, sql: `select E'\\'' as a ; commit; drop table loads --' ` }, onlyHere)).rejects.toThrow(
      /multiple commands|one query only/,
    );
    await expect(tryQuery(keeping, 'p', { address, sql: 'select nothing from loads' }, onlyHere)).rejects.toThrow(
      'column "nothing" does not exist',
    );
    const { rows } = await tryQuery(keeping, 'p', { address, sql: 'select count(*) from loads' }, onlyHere);
    expect(rows).toEqual([['12000']]);
    await expect(
      queryTable(keeping, { address, sql: 'select 1 where false' }, { projectId: 'p', name: 'T' }, onlyHere, () => undefined, never),
    ).rejects.toThrow('gives no rows');
  });
});
