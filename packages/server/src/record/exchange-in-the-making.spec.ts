import { gzipSync } from 'node:zlib';
import { noTimings } from '@sturdy/core';
import { ExchangeInTheMaking } from './exchange-in-the-making.js';

const head = { method: 'GET', url: 'http://127.0.0.1:1/', httpVersion: 'HTTP/1.1', headers: [] };

/** An exchange whose answer has this body, packed with gzip; with what its recording was told. */
function answered(body: Buffer) {
  const warnings: string[] = [];
  const making = new ExchangeInTheMaking(1, head, {
    nowMs: () => 0,
    bodyLimitBytes: 32 << 20,
    grown: () => warnings.push('grown'),
    ended: () => warnings.push('ended'),
  });
  making.response({
    status: 200,
    statusText: 'OK',
    httpVersion: 'HTTP/1.1',
    headers: [
      ['Content-Type', 'text/plain'],
      ['Content-Encoding', 'gzip'],
    ],
  });
  making.responseData(gzipSync(body));
  making.end(noTimings, null);
  return { making, heard: warnings };
}

describe('An exchange while it is recorded', () => {
  it('is whole at its end where its answer is small', () => {
    const { making, heard } = answered(Buffer.from('peas'));
    expect([heard, making.over, making.settling]).toEqual([['ended'], true, null]);
    expect(making.snapshot().bodies.map((body) => Buffer.from(body.bytes).toString())).toEqual(['peas']);
  });

  it('is whole a moment later where its answer is large: it is decoded beside the traffic, and counted after', async () => {
    const large = Buffer.alloc(8 << 20, 'beans ');
    const { making, heard } = answered(large);
    expect([heard, making.over]).toEqual([[], false]);
    // Until then there is nothing to show of its body.
    expect(making.snapshot().exchange.response?.body).toBeNull();
    // Whoever ends it again meanwhile, as a recording does that is stopped, changes nothing.
    making.end(noTimings, 'stopped');
    await making.settling;
    expect([heard, making.over]).toEqual([['ended'], true]);
    const { exchange, bodies } = making.snapshot();
    expect([exchange.failure, exchange.response?.body?.size]).toEqual([null, large.length]);
    expect(large.equals(bodies[0]?.bytes ?? Buffer.alloc(0))).toBe(true);
  });
});
