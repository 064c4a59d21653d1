import {
  compareStep,
  correlate,
  editScript,
  judgeRehearsal,
  messageType,
  scriptFromTake,
  sentAndGot,
  sideOfRehearsal,
  sideOfTake,
  tryCheck,
  type CapturedMessage,
  type Captured,
  type Rehearsal,
} from '../index.js';
import { message, talk } from '../test/talk.js';
import { playback } from '../test/playback.js';
import { html, json } from '../test/take-builder.js';
import { everything } from '../tidy/tidy.schema.js';

/** A flow that is given a seal over a WebSocket for the cursor that the page shows, and posts the seal. */
const flow = (cursor: string, seal: string) =>
  talk(
    [
      message(300, 'client', `{"type":"claim","id":1,"cursor":"${cursor}"}`),
      message(320, 'server', `{"id":1,"type":"claimed","seal":"${seal}","bay":{"no":4}}`),
      message(950, 'client', '1000', 'close'),
    ],
    `{"seal":"${seal}"}`,
    `<div data-cursor="${cursor}"></div>`,
  );
const take = flow('c-55a1b2', 's-90ff31');
const raw = scriptFromTake(take, { scriptId: 's', name: 'S', tidy: everything });
const { script } = correlate(raw, take, flow('c-11d0e9', 's-4ac772'));
const claim = 's3';

/** What playing the script gave: good answers to the requests, and what the message that claims sent and got. */
function played(answer: string | null, more: Partial<CapturedMessage> = {}, sent = '{"type":"claim","id":1,"cursor":"c-77"}'): Captured {
  const requests = playback(
    script,
    { s1: [200, html, '<div data-cursor="c-77"></div>'], s2: [101, []], s4: [200, json, '{}'] },
    { s4: '{"seal":"s-77"}' },
  );
  const ref = (hash: string, text: string) => ({ hash, size: text.length, mimeType: messageType('text', text) });
  const messages: CapturedMessage[] = [
    {
      kind: 'message',
      step: claim,
      startedAtMs: 0,
      durationMs: 5,
      action: 'send',
      url: 'http://127.0.0.1:9/line?ticket=t-1',
      sent: ref('sent', sent),
      answer: answer === null ? null : ref('answer', answer),
      failure: null,
      timings: {},
      ...more,
    },
    {
      kind: 'message',
      step: 's5',
      startedAtMs: 0,
      durationMs: 1,
      action: 'close',
      url: 'http://127.0.0.1:9/line?ticket=t-1',
      sent: null,
      answer: null,
      failure: null,
      timings: {},
    },
  ];
  return {
    ...requests,
    steps: [...requests.steps, ...messages],
    readBody: (hash) => ({ sent, answer: answer ?? '' })[hash] ?? requests.readBody(hash),
  };
}
const judged = (captured: Captured, of = script) => judgeRehearsal(of, take, captured);
const verdictOf = (captured: Captured, of = script) => judged(captured, of).steps.find(({ step }) => step === claim);
const good = '{"id":1,"type":"claimed","seal":"s-77","bay":{"no":5}}';

describe('a message over a WebSocket that was played', () => {
  it('passes where it answers as in the take, and where nothing was to answer it', () => {
    expect(script.transactions[0]?.steps.filter((step) => step.kind === 'message').map((step) => [step.id, step.name])).toEqual([
      [claim, 'SEND claim /line'],
      ['s5', 'CLOSE /line'],
    ]);
    expect(judged(played(good)).steps.map(({ verdict }) => verdict)).toEqual(Array(5).fill('passed'));
  });

  it('fails where the message that was waited for did not come, and is told to be no matter of reaching the application', () => {
    const failure = 'The awaited message did not come over the WebSocket “line” of http://127.0.0.1:9/line within 300 ms.';
    const { steps, divergence } = judged(played(null, { failure, failureCode: 'message-missing' }));
    expect(steps.find(({ step }) => step === claim)).toMatchObject({ verdict: 'failed', reasons: [failure], code: 'message-missing' });
    expect(divergence).toMatchObject({ step: claim, cause: 'unknown' });
    expect(verdictOf(played(null))).toMatchObject({ verdict: 'failed', reasons: ['No answer came.'] });
  });

  it('fails where it is answered by something of another kind; what the tester accepts passes from then on', () => {
    const found = verdictOf(played('not JSON at all'));
    expect(found).toMatchObject({
      verdict: 'failed',
      code: 'content-unexpected',
      reasons: ['It answered with text where the take had json.'],
      accept: { expect: { content: 'text' }, sentence: 'From now on this step also accepts text instead of json.' },
    });
    if (!found?.accept) throw new Error('nothing to accept');
    const wider = editScript(script, { kind: 'set-expect', id: claim, expect: found.accept.expect });
    const again = verdictOf(played('not JSON at all'), wider);
    // What is left is how it is built, which can be accepted too.
    expect([again?.verdict, again?.accept?.sentence]).toEqual([
      'drifted',
      'From now on this step also accepts an answer that is built differently.',
    ]);
    const widest = editScript(wider, { kind: 'set-expect', id: claim, expect: again?.accept?.expect ?? found.accept.expect });
    expect(verdictOf(played('not JSON at all'), widest)?.verdict).toBe('passed');
  });

  it('fails where the message says that something went wrong, whatever it looks like, and where a check does not hold', () => {
    expect(verdictOf(played('{"id":1,"type":"claimed","seal":"s-77","bay":{"no":5},"error":"The bay is taken."}'))).toMatchObject({
      verdict: 'failed',
      reasons: ['The message that came says “The bay is taken.”.'],
    });
    expect(verdictOf(played(good, { checks: ['It does not hold “bay 4”.'], failureCode: 'check-text' }))).toMatchObject({
      verdict: 'failed',
      reasons: ['It does not hold “bay 4”.'],
      code: 'check-text',
    });
  });

  it('proves nothing where it sent what belongs to the take', () => {
    const found = judgeRehearsal(raw, take, played(good, {}, '{"type":"claim","id":1,"cursor":"c-55a1b2"}'), flow('c-11d0e9', 's-4ac772'));
    const claimed = found.steps.find(({ step }) => step === claim);
    expect(claimed?.verdict).toBe('drifted');
    expect(claimed?.stale).toMatchObject([{ name: 'cursor', recorded: 'c-55a1b2', current: 'c-77', origin: 's1' }]);
  });

  it('is compared by what it sent and got; it has no address, no status and no headers', () => {
    const captured = played(good);
    const difference = compareStep(script, claim, sideOfTake(script, take), sideOfRehearsal(script, captured.steps, captured.readBody));
    expect(difference.headers).toEqual([]);
    expect(difference.request[0]?.left[0]).toBe('SEND');
    const rows = [...difference.request, ...difference.body].map((row) => [row.kind, row.left.join().trim(), row.why.join()]);
    expect(rows).toContainEqual(['harmless', '"cursor": "c-55a1b2"', expect.stringContaining('cursor')]);
    expect(rows).toContainEqual(['harmless', '"seal": "s-90ff31",', expect.stringContaining('seal')]);
    expect(rows).toContainEqual(['differs', '"no": 4', '']);
  });

  it('tells what it sent at a place, what came for that, and what its moving pieces stood for', () => {
    const captured = played(good);
    const rehearsal = { id: 'r', number: 2, ...judged(captured) } as unknown as Rehearsal;
    expect(sentAndGot(rehearsal, { step: claim, place: 'json:/cursor' }, captured.readBody)).toMatchObject({
      sent: 'c-77',
      answer: `a message of ${good.length} bytes`,
      verdict: 'passed',
    });
    // A check that looks for what was sent finds what this rehearsal sent.
    const echo = played('{"id":1,"type":"claimed","seal":"s-77","bay":{"no":5},"for":"c-77"}');
    const handoff = script.handoffs.find(({ recorded }) => recorded === 'c-55a1b2')?.id ?? '';
    const checked = { kind: 'text' as const, text: [{ kind: 'handoff' as const, handoff, recorded: 'c-55a1b2' }], present: true };
    const { tried } = tryCheck(script, take, null, [{ ...echo, number: 2, failed: [] }], claim, { id: 'c', checked, onFailure: 'mark' });
    expect(tried.map(({ source, failure }) => [source, failure])).toEqual([
      ['take', 'The answer does not hold “c-55a1b2”.'],
      ['rehearsal', null],
    ]);
  });
});
