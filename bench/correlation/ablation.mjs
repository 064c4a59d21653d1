// What a pass is worth: one handoff after the other is left out of a script that is right, and the rehearsal is played against the answers of
// visits that nobody recorded. The server of the corpus refuses nothing, which is the hardest case: the product alone has to see what is
// still sent as recorded. Nothing of this may end proven, and a sentence that names a cause has to name the value that was left out.
import { createHash } from 'node:crypto';
import {
  correlate,
  encode,
  everything,
  judgeRehearsal,
  prove,
  readValue,
  requestSteps,
  scriptFromTake,
  viewOf,
  withoutHandoff,
} from '../../packages/core/dist/index.js';
import { visitOf } from './measure.mjs';

/** What a script would send on a visit whose answers are given, and what it would get: nothing of it depends on what is sent. */
function playedOn(script, visit) {
  const loaded = visit.load();
  const bodies = new Map();
  const put = (text) => {
    const hash = createHash('sha256').update(text).digest('hex');
    bodies.set(hash, text);
    return hash;
  };
  const values = new Map();
  const made = new Map();
  const rendered = (template) =>
    template
      .map((piece) => {
        if (piece.kind === 'text') return piece.text;
        if (piece.kind === 'handoff') return values.get(piece.handoff) ?? '';
        if (piece.kind === 'wrap') return encode(piece.encoding, rendered(piece.pieces));
        if (piece.kind !== 'made') return '';
        if (!made.has(piece.made)) made.set(piece.made, visit.token(Math.max(6, piece.recorded.length), 'bcdfghjklmnp'));
        return made.get(piece.made);
      })
      .join('');
  const steps = requestSteps(script).map(({ step }) => {
    const exchange = loaded.exchanges.find((one) => one.n === step.exchange);
    const body = step.body ? rendered(step.body) : null;
    const request = {
      method: step.method,
      url: step.origin + rendered(step.url),
      headers: step.headers.map(({ name, value }) => [name, rendered(value)]),
      body: body === null ? null : { hash: put(body), size: body.length, mimeType: '' },
    };
    const view = viewOf(exchange, loaded.readBody);
    for (const handoff of script.handoffs)
      if ([handoff.origin, ...(handoff.also ?? []).map((one) => one.step)].includes(step.id)) {
        const value = view && readValue(handoff.extractor, view, () => 0);
        if (value !== undefined) values.set(handoff.id, value);
      }
    const { status, statusText, headers, body: answer } = exchange.response;
    return {
      kind: 'request',
      step: step.id,
      startedAtMs: exchange.startedAtMs,
      durationMs: 5,
      request,
      response: { status, statusText, headers, body: answer },
      failure: null,
      timings: exchange.timings,
    };
  });
  return { steps, missing: [], readBody: (hash) => bodies.get(hash) ?? loaded.readBody(hash) };
}

/** What the handoffs of a script read on a visit. */
function valuesOn(script, visit) {
  const { exchanges, readBody } = visit.load();
  const found = new Map();
  for (const { step } of requestSteps(script))
    for (const handoff of script.handoffs) {
      if (handoff.origin !== step.id) continue;
      const view = viewOf(
        exchanges.find((one) => one.n === step.exchange),
        readBody,
      );
      found.set(handoff.id, view && readValue(handoff.extractor, view, () => 0));
    }
  return found;
}

/** What the product says of a script that is played on two visits. */
function saidOf(script, loaded, second, visits) {
  const captures = visits.map((visit) => playedOn(script, visit()));
  const judged = judgeRehearsal(script, loaded, captures[0], second);
  if (judged.verdict !== 'passed')
    return { result: judged.verdict, named: judged.divergence, stale: judged.steps.flatMap((one) => one.stale) };
  const proof = prove(script, loaded, second, captures);
  return { result: proof.state, open: proof.open, stale: [] };
}

/** What is said of a script as correlation made it, on two visits that nobody recorded: it does what it should. */
export function judged(convention, play, seed, withSecond) {
  const visit = (worker) => () => visitOf(play, convention, seed, worker);
  const loaded = visit(0)().load();
  const second = withSecond ? visit(1)().load() : null;
  const raw = scriptFromTake(loaded, { scriptId: 's', name: convention, tidy: everything });
  return saidOf(correlate(raw, loaded, second).script, loaded, second, [visit(2), visit(3)]);
}

/** Whether what is said is of the value that was left out: yes, no, or that nothing names a cause. */
function causeOf(said, recorded) {
  const isIt = (text) => text !== undefined && text !== null && (text.includes(recorded) || recorded.includes(text));
  if (said.named?.cause === 'stale-value') return said.stale.some((one) => isIt(one.recorded)) ? 'right' : 'wrong';
  if (said.named) return 'none';
  const about = (said.open ?? []).filter((one) => one.kind === 'still-recorded' || one.kind === 'not-new');
  if (about.length === 0) return 'none';
  return about.some((one) => isIt(one.about?.value) || one.sentence.includes(recorded.slice(0, 40))) ? 'right' : 'wrong';
}

/** Leaves the handoffs of a convention out one by one; gives how it ended and what was said. */
export function ablate(convention, play, seed, withSecond) {
  const visit = (worker) => () => visitOf(play, convention, seed, worker);
  const loaded = visit(0)().load();
  const second = withSecond ? visit(1)().load() : null;
  const raw = scriptFromTake(loaded, { scriptId: 's', name: convention, tidy: everything });
  const { script } = correlate(raw, loaded, second);
  const visits = [visit(2), visit(3)];
  const whole = saidOf(script, loaded, second, visits);
  // What is typed differs between these visits, so that their answers are not those to this script.
  if (whole.result === 'drifted' || whole.result === 'failed') return null;
  const given = visits.map((one) => valuesOn(script, one()));
  const result = { whole: whole.result, left: 0, proven: [], causes: { right: 0, wrong: 0, none: 0 }, wrongCauses: [] };
  for (const handoff of script.handoffs) {
    // What is the same on all visits may as well be sent as recorded.
    if (given.every((values) => values.get(handoff.id) === handoff.recorded)) continue;
    const said = saidOf(withoutHandoff(script, handoff.id), loaded, second, visits);
    result.left++;
    if (said.result === 'proven') result.proven.push(`${handoff.name} = ${handoff.recorded.slice(0, 40)}`);
    const cause = causeOf(said, handoff.recorded);
    result.causes[cause]++;
    if (cause === 'wrong')
      result.wrongCauses.push(`${handoff.name} = ${handoff.recorded.slice(0, 40)}: ${said.named?.sentence ?? said.open[0].sentence}`);
  }
  return result;
}
