import { createHash } from 'node:crypto';
import { unfoldSockets, type LoadedTake, type Message } from '../index.js';
import { html, json, TakeBuilder } from './take-builder.js';

/** A message as a recording holds it. */
export const message = (atMs: number, from: Message['from'], text: string, kind: Message['kind'] = 'text'): Message => ({
  atMs,
  from,
  kind,
  text,
  base64: '',
  size: text.length,
});

/** A take that opens a WebSocket at 200 ms, talks over it, and posts something at 900 ms. */
export function talk(messages: readonly Message[], posted = '{}', page = '<p>desk</p>'): LoadedTake {
  const loaded = new TakeBuilder()
    .add(['GET', '/desk'], [200, html, page])
    .add(
      [
        'GET',
        '/line?ticket=t-81f2c4',
        [
          ['Upgrade', 'websocket'],
          ['Sec-WebSocket-Key', 'x'],
          ['Sec-WebSocket-Protocol', 'desk.v1'],
        ],
      ],
      [101, []],
    )
    .add(['POST', '/done', json, posted], [200, json, '{}'])
    .load();
  loaded.exchanges.forEach((exchange, at) => {
    if (at === 1) Object.assign(exchange, { messages, durationMs: 5000 });
    if (at === 2) exchange.startedAtMs = 900;
  });
  const bodies = new Map<string, string>();
  const { exchanges } = unfoldSockets(loaded.exchanges, {
    put: (bytes, mimeType) => {
      const hash = createHash('sha256').update(bytes).digest('hex');
      bodies.set(hash, new TextDecoder().decode(bytes));
      return { hash, size: bytes.length, mimeType };
    },
  });
  return { ...loaded, exchanges, readBody: (hash) => bodies.get(hash) ?? loaded.readBody(hash) };
}
