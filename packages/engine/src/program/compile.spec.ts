import { compile, CompileError } from '../index.js';
import { environment, script, step, text } from '../test/plans.js';

describe('compiling', () => {
  it('refuses a target that the environment does not allow, and says how to allow it', () => {
    const wanted = script([step('s1', 'http://10.0.0.7', '/')]);
    expect(() => compile(wanted, environment('http://127.0.0.1:1'))).toThrow(CompileError);
    expect(() => compile(wanted, environment('http://127.0.0.1:1'))).toThrow(
      /http:\/\/10\.0\.0\.7 is not a target of the environment “E”. Add it/,
    );
    expect(() => compile(wanted, environment('http://10.0.0.7'))).toThrow('http://10.0.0.7 is not on this machine and is not cleared.');
  });

  it('maps a recorded origin to the real one, in Referer and Origin too', () => {
    const program = compile(script([step('s1', 'http://old', '/', { headers: [{ name: 'Referer', value: text('http://old/x') }] })]), {
      ...environment('http://127.0.0.1:9'),
      map: { 'http://old': 'http://127.0.0.1:9' },
    });
    const [operation] = program.transactions[0]?.operations ?? [];
    if (operation?.kind !== 'action') throw new Error('no request');
    const scope = {
      handoffs: new Map(),
      rows: new Map(),
      made: new Map(),
      variables: new Map(),
      random: () => 0,
      fresh: () => 0,
      nowMs: () => 0,
    };
    if (operation.action.kind !== 'http') throw new Error('It is not compiled as a request.');
    expect([operation.action.origin, operation.action.headers[0]?.value(scope)]).toEqual(['http://127.0.0.1:9', 'http://127.0.0.1:9/x']);
  });
});
