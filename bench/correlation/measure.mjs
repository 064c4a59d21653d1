// What correlation makes of the corpus: recall and precision of handoffs, and whether the extractors give the right values on a take
// that correlation never saw.
import {
  correlate,
  encode,
  everything,
  exchangesOf,
  matchesOf,
  readValue,
  requestSteps,
  scriptFromTake,
  surveyTake,
  viewOf,
  movingPieces,
} from '../../packages/core/dist/index.js';
import { Visit } from './visit.mjs';

export const visitOf = (play, convention, seed, worker) => {
  const visit = new Visit(`${convention} ${seed} ${worker}`, worker);
  play(visit);
  return visit;
};

/** The text of a template with handoffs as an unseen take gives them; client-made pieces as they were there, which nobody can know. */
function rendered(template, values) {
  return template
    .map((piece) => {
      if (piece.kind === 'text') return piece.text;
      if (piece.kind === 'handoff') return values.get(piece.handoff) ?? '\u0000missing';
      if (piece.kind === 'wrap') return encode(piece.encoding, rendered(piece.pieces, values));
      return '\u0001';
    })
    .join('');
}

/** True where `value`, or an encoding of it that stands in a request, is part of a text. */
const holds = (text, value) => [value, encodeURIComponent(value), encode('form', value)].some((one) => text.includes(one));

export function measure(convention, play, seed, withSecond) {
  const [first, second, unseen] = [0, 1, 2].map((worker) => visitOf(play, convention, seed, worker));
  return measureTakes(convention, first, second, unseen, withSecond);
}

/** The same of three takes of one flow with their truths: the second as evidence where it is wanted, the third never seen. */
export function measureTakes(name, first, second, unseen, withSecond) {
  const loaded = first.load();
  const raw = scriptFromTake(loaded, { scriptId: 's', name, tidy: everything });
  const { script } = correlate(raw, loaded, withSecond ? second.load() : null);
  const result = { wanted: 0, found: 0, made: 0, handoffs: 0, right: 0, reads: 0, readsRight: 0, lost: 0, misses: [], wrong: [] };

  // Which handoffs are server-made by the truth.
  const server = new Set(first.truth.flatMap((one) => one.handoffs));
  for (const handoff of script.handoffs) {
    result.handoffs++;
    const same = (value) => value.toLowerCase() === handoff.recorded.toLowerCase();
    if (
      [...server].some(
        (value) => same(value) || handoff.recorded.includes(value) || (value.includes(handoff.recorded) && handoff.recorded.length > 2),
      )
    )
      result.right++;
    else result.wrong.push(`${handoff.name} = ${handoff.recorded.slice(0, 40)}`);
  }
  // Whether every server-made value of every request moves: what is sent on the unseen take is compared with what was sent there.
  const values = new Map();
  /** What handoffs that take any of several could have taken. */
  const offers = new Map();
  const other = unseen.load();
  for (const { step } of requestSteps(script)) {
    const own = first.truth.find((one) => one.n === step.exchange);
    const there = unseen.truth.find((one) => one.n === step.exchange);
    const sent = [step.url, ...step.headers.map((one) => one.value), ...(step.body ? [step.body] : [])]
      .map((template) => rendered(template, values))
      .join('\n');
    own.handoffs.forEach((value, at) => {
      const now = there.handoffs[at];
      result.wanted++;
      const moved = [step.url, ...step.headers.map((one) => one.value), ...(step.body ? [step.body] : [])].some((template) =>
        [...movingPieces(template)].some((piece) => piece.kind === 'handoff'),
      );
      const mayHold = [step.url, ...step.headers.map((one) => one.value), ...(step.body ? [step.body] : [])].some((template) =>
        [...movingPieces(template)].some((piece) => piece.kind === 'handoff' && offers.get(piece.handoff)?.includes(now)),
      );
      const right = mayHold || holds(sent, now) || holdsInside(sent, now);
      if (value === now) result.found += moved ? 1 : 0;
      else if (moved && right) result.found++;
      if (!(value === now ? moved : moved && right)) result.misses.push(`${own.n}: ${value.slice(0, 40)}`);
    });
    for (const handoff of script.handoffs)
      for (const place of [{ step: handoff.origin, hop: handoff.hop }, ...(handoff.also ?? [])]) {
        if (place.step !== step.id) continue;
        const exchange = other.exchanges.find((one) => one.n === step.exchange);
        const view = viewOf(exchange, other.readBody);
        const value = view && readValue(handoff.extractor, view, () => 0);
        result.reads++;
        if (value !== undefined) {
          values.set(handoff.id, value);
          if (handoff.extractor.pick === 'any') offers.set(handoff.id, matchesOf(handoff.extractor, view));
          if (
            handoff.extractor.pick === 'any'
              ? matchesOf(handoff.extractor, view).length > 0
              : [...unseen.truth.flatMap((one) => one.handoffs)].some(
                  (one) => one === value || value.includes(one) || one.includes(value) || one.toUpperCase() === value.toUpperCase(),
                )
          )
            result.readsRight++;
        }
      }
  }
  // What a person typed must not be replaced by what the client draws.
  const drawn = new Set(first.truth.flatMap((one) => one.made));
  for (const made of script.made)
    if (/^(unique-text|random-)/.test(made.made) && ![...drawn].some((value) => value.includes(made.recorded))) {
      result.handoffs++;
      result.wrong.push(`${made.name} = ${made.recorded.slice(0, 40)} is drawn`);
    }
  result.made = script.made.length;
  const tidied = scriptFromTake(loaded, { scriptId: 's', name, tidy: surveyTake(loaded).proposal });
  const kept = new Set(requestSteps(tidied).flatMap(({ step }) => exchangesOf(step)));
  result.lost = loaded.exchanges.filter((one) => !kept.has(one.n)).length;
  return result;
}

/** True where the value lies under base64 somewhere in the text. */
const holdsInside = (text, value) =>
  [...text.matchAll(/[A-Za-z0-9+/%]{12,}={0,2}/g)].some((match) => {
    try {
      return Buffer.from(decodeURIComponent(match[0]), 'base64').toString('utf8').includes(value);
    } catch {
      return false;
    }
  });
