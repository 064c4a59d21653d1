import { createHash } from 'node:crypto';
import { plainEnvironment } from '@sturdy/core';
import { seal } from '../link/index.js';
import { secretContext, type FromGenerator, type Plan, type ToGenerator } from './messages.js';
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
  /** Gives it a message of those that belong to plans. */
  const take = (message: ToGenerator) => {
    if (message.kind !== 'plan' && message.kind !== 'body' && message.kind !== 'secret')
      throw new Error(`${message.kind} is no part of a plan`);
    return assembly.take(message);
  };
  const wants = () => {
    const [message] = sent;
    if (message?.kind !== 'wants') throw new Error('nothing is wanted');
    return message;
  };
  return { take, sent, wants };
}

describe('a plan that comes in pieces', () => {
  it('is whole with its last piece, whatever the order, and nothing more is asked for where it needs nothing', async () => {
    const { take, sent } = assembling();
    // Long enough for several pieces.
    const long = { ...plan, seed: 'x'.repeat(700_000) };
    const messages = planMessages(long);
    expect(messages.length).toBeGreaterThan(2);
    const taken = [];
    for (const message of [...messages].reverse()) taken.push(await take(message));
    expect(taken.slice(0, -1).every((whole) => whole === null)).toBe(true);
    expect(taken.at(-1)?.plan.seed).toBe(long.seed);
    expect(sent).toEqual([]);
  });

  it('asks once for its bodies and secrets, and is whole with the last of them, once', async () => {
    const { take, sent, wants } = assembling();
    const needing = { ...plan, files: [hash], secrets: ['variable key'] };
    for (const message of [...planMessages(needing), ...planMessages(needing)]) expect(await take(message)).toBeNull();
    expect(sent).toHaveLength(1);
    expect(wants()).toMatchObject({ bodies: [hash], secrets: ['variable key'] });
    for (const message of bodyMessages(hash, body)) expect(await take(message)).toBeNull();
    const sealed = await seal(wants().publicKey, 'quince-7781', secretContext({ run: 'r1', generator: 1 }, 'variable key'));
    const whole = await take({ kind: 'secret', name: 'variable key', ...sealed });
    expect(Buffer.from(whole?.files.get(hash) ?? []).toString()).toBe(body.toString());
    expect(await take({ kind: 'secret', name: 'variable key', ...sealed })).toBeNull();
  });

  it('refuses a body that is another one than was asked for, and secrets that come too early or were sealed for somebody else', async () => {
    const { take, wants } = assembling();
    const [wrong] = bodyMessages(hash, Buffer.from('another body'));
    if (!wrong) throw new Error('a body has a piece at least');
    await expect(take(wrong)).rejects.toThrow(`The body ${hash.slice(0, 12)}… did not arrive as it was sent.`);
    await expect(take({ kind: 'secret', name: 'key', key: '', text: '' })).rejects.toThrow(
      'A secret came before the plan that it belongs to.',
    );
    for (const message of planMessages({ ...plan, secrets: ['key'] })) await take(message);
    for (const context of [
      secretContext({ run: 'r2', generator: 1 }, 'key'),
      secretContext({ run: 'r1', generator: 0 }, 'key'),
      secretContext({ run: 'r1', generator: 1 }, 'other'),
    ])
      await expect(take({ kind: 'secret', name: 'key', ...(await seal(wants().publicKey, 'quince', context)) })).rejects.toThrow();
  });
});
