import { STATUS_CODES, type IncomingMessage, type ServerResponse } from 'node:http';
import type { Http2ServerRequest, Http2ServerResponse } from 'node:http2';
import type { Socket } from 'node:net';
import { Transform, type Readable } from 'node:stream';
import { flat, headerPairs, type RequestHead, type ResponseHead } from './tap.js';

export type ClientRequest = IncomingMessage | Http2ServerRequest;
export type ClientResponse = ServerResponse | Http2ServerResponse;

/** Where a tunnel (CONNECT) leads, and the way of its connection. */
export interface Tunnel {
  authority: string;
  secure: boolean;
}

const connectionHeaders = new Set(['connection', 'keep-alive', 'proxy-connection', 'transfer-encoding', 'upgrade']);

export const socketKey = (socket: Socket): string => `${socket.remoteAddress ?? ''}:${socket.remotePort ?? 0}`;

export const socketOf = (request: ClientRequest): Socket =>
  'stream' in request ? (request.stream.session?.socket ?? request.socket) : request.socket;

/** The host in an authority, without its port; an IPv6 address keeps its brackets. */
export const hostOf = (authority: string): string => authority.replace(/:\d+$/, '');

export const originOf = (url: string): string => (URL.canParse(url) ? new URL(url).origin : url);

/** The whole address of a request; null where it is meant for the proxy itself. */
export function addressOf(request: ClientRequest, tunnel: Tunnel | undefined): string | null {
  const target = request.url ?? '/';
  if (/^https?:\/\//i.test(target)) return URL.canParse(target) ? target : null;
  if (!tunnel) return null;
  const authority = ('authority' in request ? request.authority : undefined) ?? request.headers.host ?? tunnel.authority;
  // A tunnel leads where it was opened to, whatever the request inside says.
  const [, port = ''] = /:(\d+)$/.exec(tunnel.authority) ?? [];
  const host = hostOf(authority);
  const isDefault = port === (tunnel.secure ? '443' : '80');
  const url = (name: string) => `${tunnel.secure ? 'https' : 'http'}://${name}${isDefault ? '' : `:${port}`}${target}`;
  // Where the request names no possible host, the tunnel's own is meant.
  return URL.canParse(url(host)) ? url(host) : url(hostOf(tunnel.authority));
}

export function headOf(request: ClientRequest, url: string): RequestHead {
  return {
    method: request.method ?? 'GET',
    url,
    httpVersion: request.httpVersionMajor === 2 ? 'HTTP/2' : `HTTP/${request.httpVersion}`,
    headers: headerPairs(request.rawHeaders).filter(([name]) => !/^proxy-(authorization|connection)$/i.test(name)),
  };
}

export function hasBody(request: ClientRequest): boolean {
  if ('stream' in request) return !request.stream.endAfterHeaders;
  return request.headers['transfer-encoding'] !== undefined || Number(request.headers['content-length'] ?? 0) > 0;
}

/** The stream with an ear to it; chunks are heard once, at the pace of whoever reads. */
export function tapped(source: Readable, heard: (chunk: Buffer) => void): Readable {
  const through = new Transform({
    transform(chunk: Buffer, _encoding, done) {
      heard(chunk);
      done(null, chunk);
    },
  });
  source.on('error', (error) => through.destroy(error));
  return source.pipe(through);
}

export async function whole(source: Readable): Promise<Buffer> {
  const chunks: Buffer[] = [];
  for await (const chunk of source) chunks.push(chunk as Buffer);
  return Buffer.concat(chunks);
}

export function writeHead(request: ClientRequest, response: ClientResponse, head: ResponseHead): void {
  if ('stream' in request) {
    const headers: Record<string, string | string[]> = {};
    for (const [name, value] of head.headers) {
      const key = name.toLowerCase();
      if (connectionHeaders.has(key)) continue;
      const before = headers[key];
      headers[key] = before === undefined ? value : [before, value].flat();
    }
    (response as Http2ServerResponse).writeHead(head.status, headers);
    return;
  }
  const serverResponse = response as ServerResponse;
  serverResponse.sendDate = false;
  const isHttp2 = head.httpVersion === 'HTTP/2';
  serverResponse.writeHead(
    head.status,
    head.statusText || (STATUS_CODES[head.status] ?? ''),
    flat(isHttp2 ? head.headers : head.headers.filter(([name]) => !/^(proxy-connection|keep-alive|connection)$/i.test(name))),
  );
}

/** An answer of the proxy itself. */
export function answer(response: ClientResponse, status: number, text: string, headers: Record<string, string> = {}): void {
  if (response.headersSent || response.destroyed) return;
  (response as ServerResponse).writeHead(status, { 'Content-Type': 'text/plain; charset=utf-8', ...headers });
  response.end(`${text}\n`);
}
