import { createServer, type IncomingMessage, type RequestListener, type Server, type ServerResponse } from 'node:http';
import { createSecureServer } from 'node:http2';
import { createServer as createHttps } from 'node:https';
import type { AddressInfo, Server as NetServer } from 'node:net';
import { brotliCompressSync, deflateSync, gzipSync } from 'node:zlib';
import { WebSocketServer } from 'ws';

export const binary = Buffer.from(Array.from({ length: 50_000 }, (_, index) => (index * 7) % 256));
export const text = 'unpacked text with ü';
/** “unpacked text with ü” packed by Debian's zstd 1.5.4. */
export const zstdText = Buffer.from('KLUv/QRYqQAAdW5wYWNrZWQgdGV4dCB3aXRoIMO8QB2xWw==', 'base64');

/** A local server with every kind of answer that a recorder meets. */
const answers: RequestListener = (request, response) => {
  const path = (request.url ?? '/').split('?')[0];
  const packed = (encoding: string, bytes: Buffer) =>
    response.writeHead(200, { 'Content-Type': 'text/plain', 'Content-Encoding': encoding, 'X-Odd-CASE': '1' }).end(bytes);
  switch (path) {
    case '/gzip':
      return packed('gzip', gzipSync(text));
    case '/deflate':
      return packed('deflate', deflateSync(text));
    case '/br':
      return packed('br', brotliCompressSync(text));
    case '/zstd':
      return packed('zstd', zstdText);
    case '/twice':
      return packed('gzip, br', brotliCompressSync(gzipSync(text)));
    case '/binary':
      return response.writeHead(200, { 'Content-Type': 'application/octet-stream' }).end(binary);
    case '/two-cookies':
      return response.writeHead(200, { 'Set-Cookie': ['a=1', 'b=2'] }).end();
    case '/chunked':
      response.writeHead(200, { 'Content-Type': 'text/plain' });
      response.write('first ');
      return setTimeout(() => response.end('second'), 20);
    case '/reset':
      return request.socket.resetAndDestroy();
    case '/cut':
      response.writeHead(200, { 'Content-Type': 'text/plain', 'Content-Length': 1000 });
      response.write('only the beginning');
      return setTimeout(() => request.socket.destroy(), 20);
    case '/large':
      return sendLarge(response, Number(/\d+$/.exec(request.url ?? '')?.[0] ?? 0));
    case '/cached':
      return response.writeHead(304).end();
    case '/page':
      return response
        .writeHead(200, { 'Content-Type': 'text/html' })
        .end('<title>Gate – Yard</title><link rel="stylesheet" href="/style.css"><button>Book the gate</button>');
    case '/ntlm':
      return response.writeHead(401, { 'WWW-Authenticate': ['Negotiate', 'NTLM'] }).end();
    case '/events':
      response.writeHead(200, { 'Content-Type': 'text/event-stream' });
      response.write('event: bay\ndata: {"free":3}\n\n');
      response.write('data: se');
      return setTimeout(() => response.write('cond\n\n'), 30);
    default:
      response.writeHead(200, { 'Content-Type': request.headers['content-type'] ?? 'text/plain' });
      return request.pipe(response);
  }
};

function sendLarge(response: ServerResponse, bytes: number): void {
  const chunk = Buffer.alloc(1 << 20, 'x');
  response.writeHead(200, { 'Content-Type': 'text/plain', 'Content-Length': bytes });
  let left = bytes;
  const more = () => {
    while (left > 0) {
      const part = chunk.subarray(0, Math.min(left, chunk.length));
      left -= part.length;
      if (!response.write(part)) {
        response.once('drain', more);
        return;
      }
    }
    response.end();
  };
  more();
}

/** A server of the test that is listening. */
export interface Target {
  origin: string;
  close: () => Promise<void>;
}

async function listening(server: NetServer, scheme: string): Promise<Target> {
  const open = new Set<{ destroy: () => void }>();
  server.on('connection', (socket: { destroy: () => void }) => open.add(socket));
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  return {
    origin: `${scheme}://127.0.0.1:${(server.address() as AddressInfo).port}`,
    close: async () => {
      for (const connection of open) connection.destroy();
      await new Promise((done) => server.close(done));
    },
  };
}

export async function plainTarget(listener: RequestListener = answers): Promise<Target & { server: Server }> {
  const server = createServer(listener);
  const sockets = new WebSocketServer({ server, perMessageDeflate: true });
  sockets.on('connection', (socket) => {
    socket.on('message', (data, isBinary) => {
      socket.send(data, { binary: isBinary });
    });
  });
  return { ...(await listening(server, 'http')), server };
}

export const secureTarget = (tls: { certificate: string; key: string; ca?: string }): Promise<Target> =>
  listening(
    createHttps(
      { cert: tls.certificate, key: tls.key, ...(tls.ca === undefined ? {} : { ca: tls.ca, requestCert: true, rejectUnauthorized: true }) },
      answers,
    ),
    'https',
  );

export const http2Target = (tls: { certificate: string; key: string }): Promise<Target> =>
  listening(
    createSecureServer({ cert: tls.certificate, key: tls.key, allowHTTP1: true }, (request, response) => {
      answers(request as unknown as IncomingMessage, response as unknown as ServerResponse & { req: IncomingMessage });
    }),
    'https',
  );
