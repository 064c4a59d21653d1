// One visit of a made-up application as a take, with the truth about each value that it sends.
import { createHash } from 'node:crypto';
import seedrandom from 'seedrandom';

const html = [['Content-Type', 'text/html; charset=utf-8']];
const json = [['Content-Type', 'application/json']];
export const form = [['Content-Type', 'application/x-www-form-urlencoded']];
export const jsonBody = [['Content-Type', 'application/json']];
export const xmlBody = [['Content-Type', 'text/xml']];

/** Server-made values of a visit are drawn from its own stream; what is the same in every visit comes from the convention. */
export class Visit {
  exchanges = [];
  bodies = new Map();
  /** By exchange: the server-made values that its request sends, and those that the client makes. */
  truth = [];
  #handoffs = [];
  #made = [];

  constructor(seed, worker) {
    this.random = seedrandom(seed);
    this.worker = worker;
    this.startMs = Date.parse('2026-11-23T10:00:00.000Z') + worker * 900_000;
    this.nowMs = 0;
  }

  /** A token of `length` signs out of an alphabet. */
  token(length = 24, alphabet = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789') {
    return Array.from({ length }, () => alphabet[Math.floor(this.random() * alphabet.length)]).join('');
  }
  hex(length = 32) {
    return this.token(length, '0123456789abcdef');
  }
  guid() {
    const h = this.hex(32);
    return `${h.slice(0, 8)}-${h.slice(8, 12)}-4${h.slice(13, 16)}-a${h.slice(17, 20)}-${h.slice(20)}`;
  }
  /** A number that a sequence of the server gives: it goes up from visit to visit. */
  serial(from) {
    return String(from + this.worker * 3 + Math.floor(this.random() * 2));
  }
  pick(list) {
    return list[Math.floor(this.random() * list.length)];
  }

  /** Says that the next request sends this server-made value. */
  sends(...values) {
    this.#handoffs.push(...values);
    return this;
  }
  /** Says that the client makes this value of the next request. */
  makes(...values) {
    this.#made.push(...values);
    return this;
  }

  ask(method, target, { headers = [], body, status = 200, type = 'html', answer = '', set = [] } = {}) {
    const n = this.exchanges.length + 1;
    this.nowMs += 200 + Math.floor(this.random() * 300);
    const own = type === 'html' ? html : type === 'json' ? json : [['Content-Type', type]];
    this.exchanges.push({
      kind: 'request',
      n,
      startedAtMs: this.nowMs,
      durationMs: 40,
      method,
      url: `http://127.0.0.1:9${target}`,
      httpVersion: 'HTTP/1.1',
      requestHeaders: headers,
      requestBody: this.#put(body, headers),
      response: {
        status,
        statusText: '',
        httpVersion: 'HTTP/1.1',
        headers: [...(answer === '' && status >= 300 ? [] : own), ...set],
        body: this.#put(answer, own),
      },
      failure: null,
      timings: { blocked: -1, dns: -1, connect: -1, tls: -1, send: 0, wait: 20, receive: 20 },
      harEntry: null,
    });
    this.truth.push({ n, handoffs: this.#handoffs, made: this.#made });
    this.#handoffs = [];
    this.#made = [];
    return this;
  }
  page(path, answer, more = {}) {
    return this.ask('GET', path, { answer, ...more });
  }
  post(path, fields, more = {}) {
    return this.ask('POST', path, { headers: form, body: new URLSearchParams(fields).toString(), ...more });
  }
  send(method, path, value, more = {}) {
    return this.ask(method, path, { type: 'json', ...more, headers: [...jsonBody, ...(more.headers ?? [])], body: JSON.stringify(value) });
  }
  /** The time of the next request, ms since 1970. */
  get clock() {
    return this.startMs + this.nowMs + 350;
  }

  /** A page with things that carry no state: menus, constants, numbers, a table of other records. */
  noise(inner = '', rows = 12) {
    const line = (at) =>
      `<tr><td>${1000 + at}</td><td>Grower ${at}</td><td>${at % 7} pallets</td><td>2026-11-${String(10 + (at % 15))}</td></tr>`;
    return `<!doctype html><html><head><title>Store</title><meta name="viewport" content="width=device-width"><script>var config={"page":1,"size":20,"lang":"en","release":"4.2.${this.worker}"};</script></head><body><nav><a href="/home">Home</a><a href="/list?page=1&size=20">List</a></nav>${inner}<table>${Array.from({ length: rows }, (_, at) => line(at)).join('')}</table></body></html>`;
  }

  load() {
    return {
      take: {
        id: `t${this.worker}`,
        projectId: 'p',
        name: 'flow',
        startedAt: new Date(this.startMs).toISOString(),
        state: 'done',
        marks: [],
        harLog: null,
      },
      exchanges: this.exchanges,
      readBody: (hash) => this.bodies.get(hash),
    };
  }

  #put(text, headers) {
    if (text === undefined || text === '') return null;
    const hash = createHash('sha256').update(text).digest('hex');
    this.bodies.set(hash, text);
    return { hash, size: Buffer.byteLength(text), mimeType: headers.find(([name]) => name === 'Content-Type')?.[1] ?? 'text/plain' };
  }
}
