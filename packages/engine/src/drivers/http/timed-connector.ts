import type { LookupFunction, Socket } from 'node:net';
import { TLSSocket } from 'node:tls';
import { buildConnector } from 'undici';
import { openSockets } from '../../net/open-sockets.js';
import type { TlsSessions } from './tls-sessions.js';
import type { TargetTls } from './target-tls.js';

/** Phases of the last connection that a client made, in ms; -1 where a phase did not happen. */
export interface ConnectTimes {
  dns: number;
  connect: number;
  tls: number;
  /** True where HTTP/2 was agreed on (RFC 7301). */
  http2: boolean;
}

/** A connector that goes on with a session of TLS where there is one, and notes how long looking up, connecting and the TLS handshake took. */
export function timedConnector(
  limitMs: number,
  tls: ReturnType<TargetTls['optionsFor']> | Record<string, never>,
  note: (times: ConnectTimes) => void,
  { origin, sessions, asksHttp2, lookup }: { origin: string; sessions: TlsSessions; asksHttp2: boolean; lookup: LookupFunction },
): buildConnector.connector {
  return (options, callback) => {
    // Made anew for each connection, so that it has the session that was agreed on last.
    const connect = buildConnector({ timeout: limitMs, allowH2: asksHttp2, ...tls, session: sessions.of(origin), lookup });
    const started = performance.now();
    let lookedUp = started;
    let connected = started;
    const times: ConnectTimes = { dns: -1, connect: -1, tls: -1, http2: false };
    // The types say that nothing is returned, yet the connector gives the socket that it opens.
    const open = connect as unknown as (...given: Parameters<typeof connect>) => Socket | undefined;
    const socket = open(options, callback);
    if (socket) {
      openSockets.follow(socket);
      sessions.follow(origin, socket);
    }
    // Listeners go in front of undici's own, or its work would be counted as connecting.
    socket?.prependOnceListener('lookup', () => {
      lookedUp = performance.now();
      times.dns = lookedUp - started;
    });
    socket?.prependOnceListener('connect', () => {
      connected = performance.now();
      times.connect = connected - lookedUp;
      note(times);
    });
    socket?.prependOnceListener('secureConnect', () => {
      times.tls = performance.now() - connected;
      times.http2 = socket instanceof TLSSocket && socket.alpnProtocol === 'h2';
      note(times);
    });
  };
}
