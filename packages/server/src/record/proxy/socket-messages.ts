import type { Writable } from 'node:stream';
import { headersOf, type Header } from '@sturdy/core';
import * as ws from 'ws';
import type { SocketMessage } from './tap.js';

/** What the ws package exports besides its types: the parser of frames, and the compression between them (RFC 7692). */
interface FrameParts {
  Receiver: new (options: {
    isServer: boolean;
    extensions: Record<string, unknown>;
    maxPayload: number;
    skipUTF8Validation: boolean;
  }) => Writable;
  PerMessageDeflate: new (options: { isServer: boolean }) => { accept: (offers: unknown[]) => unknown };
  extension: { parse: (header: string) => Record<string, unknown[]> };
}
const { Receiver, PerMessageDeflate, extension } = ws as unknown as FrameParts;

const largestMessageBytes = 16 << 20;

/**
 * Reads the messages of one direction of a WebSocket out of its bytes. Bytes are written as they come; what cannot be read
 * ends the reading, never the connection.
 */
export function messageReader(
  from: 'client' | 'server',
  responseHeaders: readonly Header[],
  onMessage: (message: SocketMessage) => void,
  failed: (reason: string) => void,
): (chunk: Buffer) => void {
  const isServer = from === 'client';
  const extensions: Record<string, unknown> = {};
  for (const line of headersOf(responseHeaders, 'sec-websocket-extensions')) {
    const agreed = extension.parse(line)['permessage-deflate'];
    if (!agreed) continue;
    const deflate = new PerMessageDeflate({ isServer });
    deflate.accept(agreed);
    extensions['permessage-deflate'] = deflate;
  }
  const receiver = new Receiver({ isServer, extensions, maxPayload: largestMessageBytes, skipUTF8Validation: true });
  let over = false;
  receiver.on('message', (data: Buffer, isBinary: boolean) => {
    onMessage({ from, kind: isBinary ? 'binary' : 'text', data });
  });
  receiver.on('ping', (data: Buffer) => {
    onMessage({ from, kind: 'ping', data });
  });
  receiver.on('pong', (data: Buffer) => {
    onMessage({ from, kind: 'pong', data });
  });
  receiver.on('conclude', (code: number, reason: Buffer) => {
    onMessage({ from, kind: 'close', data: Buffer.from(`${code} ${reason.toString()}`.trim()) });
  });
  receiver.on('error', (error: Error) => {
    over = true;
    failed(error.message);
  });
  return (chunk) => {
    // The parser unmasks in place, and these bytes are still on their way to the other side.
    if (!over) receiver.write(Buffer.from(chunk));
  };
}
