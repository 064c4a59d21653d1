import seedrandom from 'seedrandom';
import { Link, seal, SealReader, type Envelope } from './link/index.js';
import { RoundTrip } from './link/round-trip.js';
import { bodyMessages } from './generator/plan-messages.js';
import { Pieces } from './generator/pieces.js';

const identity = { run: 'r', generator: 0 };
const wait = (ms: number) => new Promise((done) => setTimeout(done, ms));

/** Two ends over a network that drops, doubles, delays and reorders what it carries. */
function linked(seed: string, { loses = 0.3, doubles = 0.3, mostDelayMs = 60 } = {}) {
  const random = seedrandom(seed);
  const carried = { count: 0 };
  const network =
    <Message>(arrive: (envelope: Envelope<Message>) => void) =>
    (envelope: Envelope<Message>) => {
      carried.count++;
      const copies = random() < loses ? 0 : random() < doubles ? 2 : 1;
      for (let copy = 0; copy < copies; copy++) setTimeout(() => arrive(envelope), random() * mostDelayMs);
    };
  const left: number[] = [];
  const right: string[] = [];
  const link = new Link<string, number>(
    identity,
    network((envelope) => otherLink.receive(envelope)),
    (message) => left.push(message),
  );
  const otherLink = new Link<number, string>(
    identity,
    network((envelope) => link.receive(envelope)),
    (message) => right.push(message),
  );
  const close = () => {
    link.close();
    otherLink.close();
  };
  return { near: link, far: otherLink, left, right, carried, close };
}

describe('a link over a bad network', () => {
  it.each(['1', '2', '3', '4'])('delivers each message once and in order, both ways (seed %s)', async (seed) => {
    const { near, far, left, right, close } = linked(seed);
    const words = Array.from({ length: 150 }, (_, at) => `m${at}`);
    words.forEach((word, at) => {
      near.send(word);
      far.send(at);
    });
    const untilMs = performance.now() + 20_000;
    while ((right.length < 150 || left.length < 150) && performance.now() < untilMs) await wait(20);
    // What arrives after all is delivered is repeats only.
    await wait(300);
    close();
    expect(right).toEqual(words);
    expect(left).toEqual(words.map((_, at) => at));
  });

  it('sends nothing again where nothing is lost', async () => {
    const { near, right, carried, close } = linked('1', { loses: 0, doubles: 0, mostDelayMs: 0 });
    for (const word of ['a', 'b', 'c']) near.send(word);
    await wait(400);
    close();
    expect(right).toEqual(['a', 'b', 'c']);
    // Three messages and one acknowledgement of all of them; its receiver has nothing to acknowledge.
    expect(carried.count).toBe(4);
  });

  it('knows how long it was quiet, and what was not confirmed, when one direction is cut', async () => {
    let isCut = false;
    const link = new Link<string, string>(
      identity,
      (envelope) => {
        if (!isCut) otherLink.receive(envelope);
      },
      () => undefined,
    );
    const otherLink = new Link<string, string>(
      identity,
      (envelope) => link.receive(envelope),
      () => undefined,
    );
    link.send('a');
    await wait(100);
    isCut = true;
    link.send('b');
    await wait(2300);
    // The other end still says that it is there, so this one hears it, but knows that it gets through to nobody.
    expect(link.quietMs).toBeLessThan(1500);
    expect(link.unconfirmedMs).toBeGreaterThan(2000);
    expect(otherLink.quietMs).toBeGreaterThan(2000);
    link.close();
    otherLink.close();
  });

  it('takes in nothing of another run or generator, and nothing once it is closed', () => {
    const came: string[] = [];
    const link = new Link<string, string>(
      identity,
      () => undefined,
      (message) => came.push(message),
    );
    const envelope = (more: Partial<Envelope<string>>): Envelope<string> => ({
      version: 1,
      ...identity,
      sequence: 1,
      acknowledges: 0,
      sentMs: 1,
      echoMs: null,
      heldMs: 0,
      message: 'x',
      ...more,
    });
    link.receive(envelope({ run: 'another' }));
    link.receive(envelope({ generator: 1 }));
    link.receive(envelope({ sequence: 2, message: 'second' }));
    link.receive(envelope({}));
    link.receive(envelope({}));
    link.close();
    link.receive(envelope({ sequence: 3 }));
    expect(came).toEqual(['x', 'second']);
  });
});

describe('round trips', () => {
  it('are smoothed as RFC 6298, 2.2 and 2.3, says, and a wait that was in vain is doubled (5.5)', () => {
    const trip = new RoundTrip();
    expect([trip.smoothedMs, trip.waitMs]).toEqual([null, 1000]);
    trip.measured(400);
    // SRTT = R, RTTVAR = R / 2, RTO = SRTT + 4 RTTVAR.
    expect([trip.smoothedMs, trip.waitMs]).toEqual([400, 1200]);
    trip.measured(200);
    // RTTVAR = 3/4 · 200 + 1/4 · |400 − 200| = 200, SRTT = 7/8 · 400 + 1/8 · 200 = 375.
    expect([trip.smoothedMs, trip.waitMs]).toEqual([375, 1175]);
    trip.timedOut();
    expect(trip.waitMs).toBe(2350);
    trip.timedOut();
    trip.timedOut();
    expect(trip.waitMs).toBe(4000);
  });
});

describe('a secret on its way', () => {
  it('opens for its reader in its context only, and is not the same twice', async () => {
    const reader = new SealReader();
    const context = 'run 1, generator 2, password';
    const sealed = await seal(await reader.publicKey(), 'quince-7781 ü', context);
    expect(JSON.stringify(sealed)).not.toContain(Buffer.from('quince').toString('base64').slice(0, 6));
    expect(await reader.open(sealed, context)).toBe('quince-7781 ü');
    expect(await seal(await reader.publicKey(), 'quince-7781 ü', context)).not.toEqual(sealed);
    await expect(reader.open(sealed, 'run 1, generator 3, password')).rejects.toThrow();
    await expect(new SealReader().open(sealed, context)).rejects.toThrow();
    await expect(seal('no key', 'x', context)).rejects.toThrow();
  });
});

describe('a long message', () => {
  it('goes in pieces below 1 MB and is put together in any order', () => {
    const bytes = Uint8Array.from({ length: 1_000_000 }, (_, at) => at % 251);
    const messages = bodyMessages('h', bytes).flatMap((message) => (message.kind === 'body' ? [message] : []));
    expect(messages.length).toBeGreaterThan(4);
    for (const message of messages) expect(JSON.stringify(message).length).toBeLessThan(1 << 20);
    const pieces = new Pieces();
    const backwards = [...messages].reverse();
    const texts = [...backwards.slice(0, -1), ...backwards.slice(0, 1), ...backwards.slice(-1)].map((piece) => pieces.take(piece));
    expect(texts.slice(0, -1).every((text) => text === null)).toBe(true);
    expect(Buffer.from(texts.at(-1) ?? '', 'base64').equals(Buffer.from(bytes))).toBe(true);
  });
});
