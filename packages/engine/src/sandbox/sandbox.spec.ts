import { createHash } from 'node:crypto';
import { CodeThreads, type CodeInput } from '../index.js';

const input: CodeInput = {
  answer: { url: 'http://127.0.0.1:1/a', status: 200, headers: { etag: '"7"' }, body: '{"free":[3,5,8]}' },
  variables: { count: '1' },
  handoffs: { 'form key': 'k-1' },
  row: { container: 'TWCU7700008' },
  nowMs: 1_700_000_000_000,
  random: 0.5,
};
const threads = new CodeThreads();
afterAll(() => threads.close());
const run = (source: string, timeMs = 200) => threads.run(source, input, { timeMs, memoryMb: 16 });

describe('the sandbox of code steps', () => {
  it('sees the answer, variables, handoffs and the row; sets variables; changes the next request; logs', async () => {
    const output = await run(`
      variables.bay = answer.json().free[1];
      variables.count = Number(variables.count) + 1;
      next.header('X-Proof', digest('sha256', handoffs['form key'] + ':' + row.container));
      next.header('If-Match', answer.headers.etag);
      next.header('Cookie', null);
      next.query('at', now);
      next.body(JSON.stringify({ bay: variables.bay }));
      log('chosen', variables.bay, { of: 3 });
    `);
    expect(output).toEqual({
      variables: { count: '2', bay: '5' },
      next: {
        headers: { 'X-Proof': createHash('sha256').update('k-1:TWCU7700008').digest('hex'), 'If-Match': '"7"', Cookie: null },
        query: { at: '1700000000000' },
        body: '{"bay":5}',
      },
      log: ['chosen 5 {"of":3}'],
    });
  });

  it('draws the same random numbers from the same start', async () => {
    const drawn = async () => (await run('variables.drawn = [Math.random(), Math.random()].join()')).variables['drawn'];
    expect(await drawn()).toBe(await drawn());
    const numbers = (await drawn())?.split(',').map(Number) ?? [];
    expect(numbers.every((number) => number >= 0 && number < 1) && numbers[0] !== numbers[1]).toBe(true);
  });

  it.each([
    ['a name that is not there', 'const a = 1;\nlet b = 2;\nmissing.call();', /^Line 3: ReferenceError: .*missing/, 3],
    ['a fault of syntax', 'const a = 1;\nconst b = ;', /^Line 2: SyntaxError/, 2],
    ['what it says itself', 'if (answer.status === 200)\n  fail("no bay is free");', /no bay is free/, null],
    ['a loop without an end', 'for (;;);', /longer than the 200 ms/, 1],
    ['a memory bomb', 'const all = [];\nfor (;;) all.push("y".repeat(10000) + all.length);', /more than the 16 MB/, 2],
    ['a text that doubles', 'let t = "x";\nfor (;;) t += t;', /more than the 16 MB|string too long/, 2],
    ['calls without an end', 'const f = () => f() + 1;\nf();', /stack|recursion/i, 1],
    ['an expression that explodes', '/^(a+)+$/.test("a".repeat(40) + "b")', /longer than the 200 ms/, null],
    ['a promise that never settles is not waited for, but a throw is told', 'throw { odd: true }', /Error/, null],
    ['an unknown digest', 'digest("sha7", "x")', /no wrapping or digest called “sha7”/, null],
  ])('ends in a clear error: %s', async (_name, source, message, line) => {
    let failure: unknown;
    try {
      await run(source, message.source.includes('200 ms') ? 200 : 3000);
    } catch (error) {
      failure = error;
    }
    expect(failure).toMatchObject({ message: expect.stringMatching(message) as string });
    if (line !== null) expect(failure).toMatchObject({ line });
    // The next run is not harmed.
    expect((await run('variables.ok = "yes"')).variables['ok']).toBe('yes');
  });

  it('has no way to the process, to files, to the network or to timers', async () => {
    const names =
      'process require module global Buffer fetch XMLHttpRequest WebSocket setTimeout setInterval Deno WebAssembly std os __input __wrap'.split(
        ' ',
      );
    const { variables } = await run(`variables.there = ${JSON.stringify(names)}.filter((name) => name in globalThis).join()`);
    expect(variables['there']).toBe('');
    await expect(run('await import("fs")')).rejects.toThrow();
    await expect(run('import("fs"); fail(typeof (new Function("return this"))().process)')).rejects.toThrow(/undefined/);
    await expect(run('(function(){}).constructor("return process")()')).rejects.toThrow(/process/);
  });

  it('keeps pollution of prototypes to itself: neither the next run nor the process sees it', async () => {
    const output = await run(
      'Object.prototype.hacked = "yes"; Array.prototype.map = () => ["bad"]; JSON.stringify = () => "bad"; variables.__proto__.x = 1; variables["__proto__"] = "p"; log("still", "here");',
    );
    expect(output.log).toEqual(['still here']);
    expect(({} as Record<string, unknown>)['hacked']).toBeUndefined();
    expect(({} as Record<string, unknown>)['x']).toBeUndefined();
    await expect(run('Object.prototype.toJSON = () => "odd"')).rejects.toThrow(/cannot be read/);
    expect((await run('variables.seen = String({}.hacked)')).variables['seen']).toBe('undefined');
  });
});

describe('code that the sandbox cannot stop', () => {
  it.each([
    ['a search in a long text', '"a".repeat(2000000).indexOf("a".repeat(1000000) + "b")'],
    ['joining a list that is nearly empty', 'const list = []; list.length = 4294967295; list.join()'],
  ])('is ended by force, while other code goes on in another thread: %s', async (_, source) => {
    const codeThreads = new CodeThreads();
    // Two threads are there before anything is timed.
    await Promise.all([
      codeThreads.run('variables.a = 1', input, { timeMs: 1000, memoryMb: 16 }),
      codeThreads.run(waitABit, input, { timeMs: 1000, memoryMb: 16 }),
    ]);
    const stuck = codeThreads.run(source, input, { timeMs: 100, memoryMb: 64 }).then(
      () => 'it ended by itself',
      (error: unknown) => (error as Error).message,
    );
    const others = await Promise.all([1, 2, 3].map((n) => codeThreads.run(`variables.n = ${n}`, input, { timeMs: 1000, memoryMb: 16 })));
    expect(others.map((output) => output.variables['n'])).toEqual(['1', '2', '3']);
    expect(await stuck).toMatch(/longer than the 100 ms.*ended by force/);
    expect((await codeThreads.run('variables.ok = "yes"', input, { timeMs: 1000, memoryMb: 16 })).variables['ok']).toBe('yes');
    await codeThreads.close();
  });
  const waitABit = 'const end = Date.now() + 120; while (Date.now() < end);';

  it('tells where no thread can be had', async () => {
    const none = new CodeThreads(new URL('data:text/javascript,throw new Error("no room")'));
    await expect(none.run('1', input, { timeMs: 100, memoryMb: 16 })).rejects.toThrow(/no room/);
  });
});
