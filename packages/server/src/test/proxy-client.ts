import { request as httpRequest, type IncomingMessage } from 'node:http';
import { connect as connectHttp2 } from 'node:http2';
import { request as httpsRequest } from 'node:https';
import { connect, type Socket } from 'node:net';
import { connect as connectTls } from 'node:tls';

export interface Got {
  status: number;
  headers: [string, string][];
  bytes: Buffer;
}

/** Reads an answer to its end. */
export async function read(answer: IncomingMessage): Promise<Got> {
  const chunks: Buffer[] = [];
  for await (const chunk of answer) chunks.push(chunk as Buffer);
  const raw = answer.rawHeaders;
  return {
    status: answer.statusCode ?? 0,
    headers: raw.flatMap((name, at): [string, string][] => (at % 2 === 0 ? [[name, raw[at + 1] ?? '']] : [])),
    bytes: Buffer.concat(chunks),
  };
}

/** Asks a plain address through the proxy, as a browser does: the whole address in the request line. */
export function askPlain(
  proxy: string,
  url: string,
  options: { method?: string; headers?: string[]; body?: string | Buffer } = {},
): Promise<Got> {
  const { hostname, port } = new URL(proxy);
  return new Promise((done, failed) => {
    const asked = httpRequest(
      {
        host: hostname,
        port,
        path: url,
        method: options.method ?? 'GET',
        setHost: false,
        headers: ['Host', new URL(url, proxy).host, ...(options.headers ?? [])],
      },
      (answer) => void read(answer).then(done, failed),
    );
    asked.on('error', failed);
    asked.end(options.body);
  });
}

/** Opens a tunnel (CONNECT) through the proxy. Rejects with the status line where it is refused. */
export function tunnel(proxy: string, authority: string, headers = ''): Promise<Socket> {
  const { hostname, port } = new URL(proxy);
  return new Promise((done, failed) => {
    const socket = connect(Number(port), hostname, () =>
      socket.write(`CONNECT ${authority} HTTP/1.1\r\nHost: ${authority}\r\n${headers}\r\n`),
    );
    socket.once('error', failed);
    socket.once('data', (chunk: Buffer) => {
      const line = chunk.toString().split('\r\n')[0] ?? '';
      if (line.includes(' 200 ')) done(socket);
      else failed(new Error(chunk.toString()));
    });
  });
}

/** Asks an https address through the proxy over HTTP/1.1; the recorder's authority is trusted. */
export async function askSecure(
  proxy: string,
  url: string,
  ca: string,
  options: { method?: string; headers?: string[]; body?: string } = {},
): Promise<Got> {
  const { hostname, host, pathname, search } = new URL(url);
  const socket = await tunnel(proxy, host);
  const secured = connectTls({ socket, ca, host: hostname });
  return new Promise((done, failed) => {
    const asked = httpsRequest(
      {
        createConnection: () => secured,
        path: pathname + search,
        method: options.method ?? 'GET',
        setHost: false,
        headers: ['Host', host, ...(options.headers ?? [])],
      },
      (answer) =>
        void read(answer).then((got) => {
          secured.destroy();
          done(got);
        }, failed),
    );
    asked.on('error', failed);
    asked.end(options.body);
  });
}

/** Asks several targets of one https origin through the proxy over one HTTP/2 connection. */
export async function askHttp2(
  proxy: string,
  origin: string,
  ca: string,
  targets: readonly { path: string; body?: string; headers?: Record<string, string> }[],
): Promise<Got[]> {
  const { host, hostname } = new URL(origin);
  const socket = await tunnel(proxy, host);
  const secured = connectTls({ socket, ca, host: hostname, ALPNProtocols: ['h2'] });
  const session = connectHttp2(origin, { createConnection: () => secured });
  try {
    return await Promise.all(
      targets.map(
        ({ path, body, headers }) =>
          new Promise<Got>((done, failed) => {
            const stream = session.request({ ':path': path, ':method': body === undefined ? 'GET' : 'POST', ...headers });
            const chunks: Buffer[] = [];
            let got: [string, string][] = [];
            stream.on('response', (_named: unknown, _flags: unknown, raw: string[]) => {
              got = raw.flatMap((name, at): [string, string][] => (at % 2 === 0 ? [[name, raw[at + 1] ?? '']] : []));
            });
            stream.on('data', (chunk: Buffer) => chunks.push(chunk));
            stream.on('end', () => {
              done({ status: Number(got.find(([name]) => name === ':status')?.[1]), headers: got, bytes: Buffer.concat(chunks) });
            });
            stream.on('error', failed);
            stream.end(body);
          }),
      ),
    );
  } finally {
    session.close();
  }
}
