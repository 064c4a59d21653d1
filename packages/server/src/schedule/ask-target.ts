import { request as httpRequest } from 'node:http';
import { request as httpsRequest } from 'node:https';
import { connect } from 'node:net';
import { hostToConnect } from '@sturdy/core';
import { lookupWithin, type Reach } from '../environments/reach.js';

const limitMs = 5000;

/** What a target said of itself. */
export interface TargetAnswer {
  /** How long it took, in ms. */
  askedMs: number;
  /** What time it has (RFC 9110, 6.6.1), in ms since 1970; null where it did not say. */
  theirMs: number | null;
  /** What this machine's clock showed in the middle, in ms since 1970. */
  oursMs: number;
}

/** Asks a target for an answer, whatever it is: a HEAD of its root, or a connection where it speaks no HTTP. Rejects with the reason where there is none. */
export async function askTarget(origin: string, reach: Reach): Promise<TargetAnswer> {
  const lookup = lookupWithin(reach, origin);
  const begun = Date.now();
  const began = performance.now();
  const date = await new Promise<string | null>((done, failed) => {
    const { protocol, port } = new URL(origin);
    const signal = AbortSignal.timeout(limitMs);
    if (!/^(https?|wss?):$/.test(protocol)) {
      const socket = connect({ host: hostToConnect(origin), port: Number(port), lookup, signal }, () => {
        socket.destroy();
        done(null);
      });
      socket.on('error', failed);
      return;
    }
    const isSecure = protocol.endsWith('s:');
    const asked = (isSecure ? httpsRequest : httpRequest)(
      origin.replace(/^ws/, 'http'),
      // Test systems sign their own certificates; whether that is good is for the rehearsal.
      { method: 'HEAD', agent: false, lookup, signal, ...(isSecure ? { rejectUnauthorized: false } : {}) },
      (answer) => {
        answer.resume();
        done(answer.headers.date ?? null);
      },
    );
    asked.on('error', failed);
    asked.end();
  });
  const askedMs = Math.round(performance.now() - began);
  const theirMs = date === null ? NaN : Date.parse(date);
  return { askedMs, theirMs: Number.isNaN(theirMs) ? null : theirMs, oursMs: begun + askedMs / 2 };
}
