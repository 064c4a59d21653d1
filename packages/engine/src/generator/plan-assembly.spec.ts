import { createHash } from 'node:crypto';
import { plainEnvironment } from '@sturdy/core';
import { seal } from '../link/index.js';
import { secretContext, type FromGenerator, type Plan } from './messages.js';
import { PlanAssembly } from './plan-assembly.js';
import { bodyMessages, planMessages } from './plan-messages.js';

const body = Buffer.from('a body that is sent as it is');
const hash = createHash('sha256').update(body).digest('hex');
const environment = plainEnvironment({ id: 'e', projectId: 'p', name: 'E', targets: ['http://127.0.0.1:9'] });
const plan: Plan = {
  version: 1,
  runId: 'r1',
  generator: 1,
  generators: 2,
  seed: '1',
  scripts: [],
  crews: [],
  curve: { kind: 'ramp', together: 1, rampUpSeconds: 0, holdSeconds: 1, rampDownSeconds: 0, atEnd: 'iteration' },
  environment,
  samples: false,
  tables: [],
  files: [],
  secrets: [],
};

function assembling() {
  const sent: FromGenerator[] = [];
  const assembly = new PlanAssembly((message) => sent.push(message));
  const wants = () => {
    const [message] = sent;
    if (message?.kind !== 'wants') throw new Error('nothing is wanted');
    return message;
  };
  return { assembly, sent, wants };
}

describe('a plan that comes in pieces', () => {
  it('is whole with its last piece, whatever the order, and nothing more is asked for where it needs nothing', async () => {
    const { assembly, sent } = assembling();
    // Long enough for several pieces.
    const long = { ...plan, seed: 'x'.repeat(700_000) };
    const messages = planMessages(long);
    expect(messages.length).toBeGreaterThan(2);
    const taken = [];
    for (const message of [...messages].reverse()) taken.push(await assembly.take(message));
    expect(taken.slice(0, -1).every((whole) => whole === null)).toBe(true);
    expect(taken.at(-1)?.plan.seed).toBe(long.seed);
    expect(sent).toEqual([]);
  });

  it('asks once for its bodies and secrets, and is whole with the last of them, once', async () => {
    const { assembly, sent, wants } = assembling();
    const needing = { ...plan, files: [hash], secrets: ['variable key'] };
    for (const message of [...planMessages(needing), ...planMessages(needing)]) expect(await assembly.take(message)).toBeNull();
    expect(sent).toHaveLength(1);
    expect(wants()).toMatchObject({ bodies: [hash], secrets: ['variable key'] });
    for (const message of bodyMessages(hash, body)) expect(await assembly.take(message)).toBeNull();
    const sealed = await seal(wants().publicKey, 'quince-7781', secretContext({ run: 'r1', generator: 1 }, 'variable key'));
    const whole = await assembly.take({ kind: 'secret', name: 'variable key', ...sealed });
    expect(Buffer.from(whole?.files.get(hash) ?? []).toString()).toBe(body.toString());
    expect(await assembly.take({ kind: 'secret', name: 'variable key', ...sealed })).toBeNull();
  });

  it('refuses a body that is another one than was asked for, and secrets that come too early or were sealed for somebody else', async () => {
    const { assembly, wants } = assembling();
    const [wrong] = bodyMessages(hash, Buffer.from('another body'));
    if (!wrong) throw new Error('a body has a piece at least');
    await expect(assembly.take(wrong)).rejects.toThrow(`The body ${hash.slice(0, 12)}… did not arrive as it was sent.`);
    await expect(assembly.take({ kind: 'secret', name: 'key', enc: '', ciphertext: '' } as never)).rejects.toThrow(
      'A secret came before the plan that it belongs to.',
    );
    for (const message of planMessages({ ...plan, secrets: ['key'] })) await assembly.take(message);
    for (const context of [
      secretContext({ run: 'r2', generator: 1 }, 'key'),
      secretContext({ run: 'r1', generator: 0 }, 'key'),
      secretContext({ run: 'r1', generator: 1 }, 'other'),
    ])
      await expect(assembly.take({ kind: 'secret', name: 'key', ...(await seal(wants().publicKey, 'quince', context)) })).rejects.toThrow();
  });
});
