import { cutText } from '../../cut-text.js';
import { bytesToBase64 } from '../../bytes.js';
import { basicAuthorization } from '../../sign-in/basic.js';
import { headerOf } from '../../take/messages.js';
import type { RequestExchange, Header } from '../../take/take.schema.js';

/** A request read from a command line. */
export interface CurlRequest {
  method: string;
  url: string;
  headers: Header[];
  body: string | null;
}

/** A command line that could not be read, with its number from 1 and the reason. */
export interface CurlProblem {
  command: number;
  text: string;
}

/** Options of curl 8 that take a value and say nothing about the request; those without a value are passed over. */
const ignoredWithValue = new Set(
  '-o --output -w --write-out -m --max-time --connect-timeout --retry -x --proxy --cacert --cert --key -E --ciphers --resolve --interface --limit-rate -c --cookie-jar --tls-max --http3-only -D --dump-header --proxy-user -U'.split(
    ' ',
  ),
);

/**
 * Reads command lines of curl as browsers copy them: several of them, each over several lines, in the quoting of POSIX shells
 * ('…', "…", $'…') or of the Windows command line (^).
 */
export function readCurl(text: string): { requests: CurlRequest[]; problems: CurlProblem[] } {
  const requests: CurlRequest[] = [];
  const problems: CurlProblem[] = [];
  const isWindows = /\^"|\^\r?\n/.test(text) && !text.includes("$'");
  commandsOf(isWindows ? withoutCarets(text) : text).forEach((words, index) => {
    const command = index + 1;
    if (words[0] !== 'curl' && words[0] !== 'curl.exe') {
      problems.push({
        command,
        text: `It starts with “${cutText(words[0] ?? '', 40)}”, not with curl. Copy the request “as cURL” and paste all of it.`,
      });
      return;
    }
    const read = requestOf(words.slice(1));
    if (typeof read === 'string') problems.push({ command, text: read });
    else requests.push(read);
  });
  return { requests, problems };
}

/** On the Windows command line a caret takes the meaning from the sign after it. */
const withoutCarets = (text: string): string => text.replace(/\^\r?\n/g, ' ').replace(/\^(.)/g, '$1');

const escapes: Record<string, string> = {
  n: '\n',
  r: '\r',
  t: '\t',
  '0': '\0',
  a: '\x07',
  b: '\b',
  f: '\f',
  v: '\v',
  '\\': '\\',
  "'": "'",
  '"': '"',
  '?': '?',
};

/** Splits a text into commands and these into words (POSIX.1-2017, Shell Command Language 2.2; $'…' as in 2024). */
function commandsOf(text: string): string[][] {
  const commands: string[][] = [];
  let words: string[] = [];
  let word: string | null = null;
  const endWord = () => {
    if (word !== null) words.push(word);
    word = null;
  };
  const endCommand = () => {
    endWord();
    if (words.length > 0) commands.push(words);
    words = [];
  };
  for (let at = 0; at < text.length; at++) {
    const sign = text[at] ?? '';
    const next = text[at + 1] ?? '';
    if (sign === '\\' && /[\r\n]/.test(next)) at += next === '\r' && text[at + 2] === '\n' ? 2 : 1;
    else if (sign === '\\') word = (word ?? '') + (text[++at] ?? '');
    else if (sign === "'") {
      const end = text.indexOf("'", at + 1);
      word = (word ?? '') + text.slice(at + 1, end < 0 ? undefined : end);
      at = end < 0 ? text.length : end;
    } else if (sign === '"') {
      word ??= '';
      for (at++; at < text.length && text[at] !== '"'; at++) {
        if (text[at] === '\\' && /["\\$`\n]/.test(text[at + 1] ?? '')) at++;
        word += text[at] ?? '';
      }
    } else if (sign === '$' && next === "'") {
      const end = /(?:[^'\\]|\\[\s\S])*/y;
      end.lastIndex = at + 2;
      const quoted = end.exec(text)?.[0] ?? '';
      word =
        (word ?? '') +
        quoted.replace(/\\(?:u([0-9a-fA-F]{4})|x([0-9a-fA-F]{1,2})|([\s\S]))/g, (_all, unicode?: string, hex?: string, single?: string) =>
          (unicode ?? hex) ? String.fromCharCode(parseInt(unicode ?? hex ?? '0', 16)) : (escapes[single ?? ''] ?? `\\${single ?? ''}`),
        );
      at += 2 + quoted.length;
    } else if (sign === '\n' || sign === ';' || sign === '&') endCommand();
    else if (/\s/.test(sign)) endWord();
    else word = (word ?? '') + sign;
  }
  endCommand();
  return commands;
}

function requestOf(words: readonly string[]): CurlRequest | string {
  const headers: Header[] = [];
  const data: string[] = [];
  let url: string | null = null;
  let method: string | null = null;
  let asQuery = false;
  for (let at = 0; at < words.length; at++) {
    let option = words[at] ?? '';
    let value: string | undefined;
    const short = /^(-[XHdbuAeFGIo])(.+)$/.exec(option);
    if (short) [, option = '', value] = short;
    const take = () => value ?? words[++at] ?? '';
    switch (option) {
      case '-X':
      case '--request':
        method = take().toUpperCase();
        break;
      case '-H':
      case '--header': {
        const [, name = '', content = ''] = /^([^:;]+)[:;]\s*([\s\S]*)$/.exec(take()) ?? [];
        if (name !== '') headers.push([name, content]);
        break;
      }
      case '-d':
      case '--data':
      case '--data-ascii':
      case '--data-raw':
      case '--data-binary':
        data.push(take());
        break;
      case '--data-urlencode': {
        const [, name = '', content = ''] = /^([^=]*)=?([\s\S]*)$/.exec(take()) ?? [];
        data.push(name === '' ? encodeURIComponent(content) : `${name}=${encodeURIComponent(content)}`);
        break;
      }
      case '--json':
        data.push(take());
        headers.push(['Content-Type', 'application/json'], ['Accept', 'application/json']);
        break;
      case '-b':
      case '--cookie':
        headers.push(['Cookie', take()]);
        break;
      case '-u':
      case '--user': {
        const [, user = '', password = ''] = /^([^:]*):?([\s\S]*)$/.exec(take()) ?? [];
        headers.push(['Authorization', basicAuthorization(user, password)]);
        break;
      }
      case '-A':
      case '--user-agent':
        headers.push(['User-Agent', take()]);
        break;
      case '-e':
      case '--referer':
        headers.push(['Referer', take()]);
        break;
      case '-I':
      case '--head':
        method = 'HEAD';
        break;
      case '-G':
      case '--get':
        asQuery = true;
        break;
      case '--url':
        url = take();
        break;
      case '-F':
      case '--form':
        return 'It uploads a form by -F, whose files are not in the command. Record the upload with the proxy instead.';
      default:
        if (ignoredWithValue.has(option)) take();
        else if (!option.startsWith('-')) url ??= option;
    }
  }
  if (url === null) return 'It names no address.';
  const whole = /^[a-z][a-z0-9+.-]*:\/\//i.test(url) ? url : `http://${url}`;
  if (!URL.canParse(whole)) return `“${cutText(url, 80)}” is no address.`;
  const sent = data.length === 0 ? null : data.join('&');
  if (asQuery && sent !== null)
    return { method: method ?? 'GET', url: whole + (whole.includes('?') ? '&' : '?') + sent, headers, body: null };
  if (sent !== null && headerOf(headers, 'content-type') === undefined) headers.push(['Content-Type', 'application/x-www-form-urlencoded']);
  return { method: method ?? (sent === null ? 'GET' : 'POST'), url: whole, headers, body: sent };
}

/** Headers that curl makes by itself. */
const ownHeaders = /^(host|content-length|connection|accept-encoding|:.*)$/i;

/** The request of an exchange as a command line of curl, for POSIX shells. Bytes that are no text go through base64. */
export function writeCurl(exchange: RequestExchange, body: Uint8Array | undefined): string {
  const quote = (text: string) => `'${text.replace(/'/g, `'\\''`)}'`;
  const parts = [`curl ${quote(exchange.url)}`];
  if (exchange.method !== 'GET' || body) parts.push(`-X ${exchange.method}`);
  for (const [name, value] of exchange.requestHeaders) if (!ownHeaders.test(name)) parts.push(`-H ${quote(`${name}: ${value}`)}`);
  if (headerOf(exchange.requestHeaders, 'accept-encoding') !== undefined) parts.push('--compressed');
  let before = '';
  if (body) {
    try {
      parts.push(`--data-raw ${quote(new TextDecoder('utf-8', { fatal: true }).decode(body))}`);
    } catch {
      before = `printf %s ${bytesToBase64(body)} | base64 -d | `;
      parts.push('--data-binary @-');
    }
  }
  return before + parts.join(' \\\n  ');
}
