/**
 * Runs in the sandbox before the tester's code and gives it what it works with. Its own state lies in closures, so what the code does
 * to objects or prototypes stays its own affair.
 */
export const preludeSource = `(() => {
  const input = JSON.parse(__input);
  const { stringify, parse } = JSON;
  const { freeze, keys } = Object;
  const wrap = __wrap;
  delete globalThis.__input;
  delete globalThis.__wrap;
  const asText = (value) => (typeof value === 'string' ? value : value === undefined || value === null ? '' : typeof value === 'object' ? stringify(value) : String(value));
  const lines = [];
  const headers = {};
  const query = {};
  let body = null;
  // mulberry32: small, and enough for drawing test values from a given start.
  let seed = Math.floor(input.random * 4294967296) >>> 0;
  Math.random = () => {
    seed = (seed + 0x6d2b79f5) >>> 0;
    let mixed = Math.imul(seed ^ (seed >>> 15), 1 | seed);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4294967296;
  };
  const { answer } = input;
  globalThis.answer = answer && freeze({ ...answer, headers: freeze(answer.headers), json: () => parse(answer.body) });
  globalThis.variables = { ...input.variables };
  const kept = globalThis.variables;
  globalThis.handoffs = freeze(input.handoffs);
  globalThis.row = freeze(input.row);
  globalThis.now = input.nowMs;
  globalThis.log = (...parts) => {
    let line = '';
    for (let at = 0; at < parts.length; at++) line += (at > 0 ? ' ' : '') + asText(parts[at]);
    if (lines.length < 100) lines[lines.length] = line;
  };
  globalThis.digest = (kind, text) => wrap(asText(kind), asText(text));
  globalThis.wrap = globalThis.digest;
  globalThis.fail = (why) => { throw new Error(asText(why)); };
  globalThis.next = freeze({
    header: (name, value) => { headers[asText(name)] = value === null ? null : asText(value); },
    query: (name, value) => { query[asText(name)] = asText(value); },
    body: (text) => { body = asText(text); },
  });
  Object.defineProperty(globalThis, '__output', { value: () => {
    const texts = {};
    const names = keys(kept);
    for (let at = 0; at < names.length; at++) texts[names[at]] = asText(kept[names[at]]);
    return stringify({ variables: texts, next: { headers, query, body }, log: lines });
  } });
})()`;
