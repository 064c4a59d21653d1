import { createHash } from 'node:crypto';
import type { IncomingMessage, RequestListener, ServerResponse } from 'node:http';

const md5 = (text: string) => createHash('md5').update(text).digest('hex');

/** A target that lets Mufasa in by Digest (RFC 7616), checked here by Node's own MD5, and gives each nonce once. */
export const digestTarget: RequestListener = (request, response) => {
  const given = Object.fromEntries(
    [...(request.headers.authorization ?? '').matchAll(/(\w+)=(?:"([^"]*)"|([^,\s]+))/g)].map((array) => [
      array[1] ?? '',
      array[2] ?? array[3] ?? '',
    ]),
  );
  const secret = md5('Mufasa:door:Circle of Life');
  const expected = md5(
    `${secret}:n0nce:${given['nc'] ?? ''}:${given['cnonce'] ?? ''}:auth:${md5(`${request.method ?? ''}:${request.url ?? ''}`)}`,
  );
  if (given['response'] === expected) request.pipe(response);
  else {
    request.resume();
    response.writeHead(401, { 'WWW-Authenticate': 'Digest realm="door", qop="auth", nonce="n0nce", algorithm=MD5' }).end('who are you');
  }
};

/**
 * A target that lets a connection in after the three messages of NTLM ([MS-NLMP] 3.2.5): it looks at their kinds and names, the
 * computation is checked against the published vectors elsewhere.
 */
export function ntlmTarget(): RequestListener {
  const inside = new WeakMap<object, string>();
  const ask = (response: ServerResponse, value: string) => response.writeHead(401, { 'WWW-Authenticate': value }).end('door');
  return (request: IncomingMessage, response: ServerResponse) => {
    request.resume();
    const message = Buffer.from((request.headers.authorization ?? '').replace(/^NTLM /, ''), 'base64');
    const known = inside.get(request.socket);
    if (known !== undefined) response.writeHead(200, { 'Content-Type': 'text/plain' }).end(known);
    else if (message.length === 0) ask(response, 'NTLM');
    else if (message.readUInt32LE(8) === 1) {
      const challenge = Buffer.alloc(56);
      challenge.write('NTLMSSP\0', 'latin1');
      challenge.writeUInt32LE(2, 8);
      challenge.write('01234567', 24, 'latin1');
      challenge.writeUInt16LE(4, 40);
      challenge.writeUInt32LE(52, 44);
      ask(response, `NTLM ${challenge.toString('base64')}`);
    } else {
      const at = message.readUInt32LE(40);
      inside.set(request.socket, message.subarray(at, at + message.readUInt16LE(36)).toString('utf16le'));
      response.writeHead(200, { 'Content-Type': 'text/plain' }).end(inside.get(request.socket));
    }
  };
}
