import { readdirSync, readFileSync } from 'node:fs';
import { alignTakes, correlate, coverage, recordedText, requestSteps, scriptFromTake, type LoadedTake } from '../index.js';
import { everything } from '../tidy/tidy.schema.js';
import { form, html, json, TakeBuilder } from '../test/take-builder.js';

const scripted = (loaded: LoadedTake) => scriptFromTake(loaded, { scriptId: 's', name: 's', tidy: everything });
const handoffsOf = (first: LoadedTake, second: LoadedTake | null = null) => correlate(scripted(first), first, second).script;

/** A form flow as server-rendered applications have it; `token` and `id` differ from visit to visit. */
const formFlow = (token: string, id: string) =>
  new TakeBuilder()
    .add(['GET', '/form'], [200, html, `<form><input type=hidden name="csrf_token" value="${token}"></form>`])
    .add(
      ['POST', '/things', form, `csrf_token=${encodeURIComponent(token)}&title=Hello`],
      [302, [['Location', `/things/${id}/view?tab=1`]]],
    )
    .add(['GET', `/things/${id}/view?tab=1`], [200, html, '<title>Thing</title>'])
    .load();

describe('correlating', () => {
  it('hands off a hidden field and the id in a redirect, by shape from one take alone', () => {
    const script = handoffsOf(formFlow('aB3/dE6+gH9=', '4711'));
    expect(script.handoffs).toMatchObject([
      { origin: 's1', evidence: 'likely', recorded: 'aB3/dE6+gH9=', extractor: { kind: 'field', name: 'csrf_token' } },
      { origin: 's2', evidence: 'likely', recorded: '4711', extractor: { kind: 'header', name: 'location' } },
    ]);
    // What is not handed off stays as it was on the wire, to the letter.
    const steps = requestSteps(script);
    expect(recordedText(steps[1]?.step.body ?? [])).toBe('csrf_token=aB3%2FdE6%2BgH9%3D&title=Hello');
  });

  it('proves by a second take, and leaves alone what is the same in both', () => {
    const script = handoffsOf(formFlow('token-1-aaa', '4711'), formFlow('token-2-bbb', '4712'));
    expect(script.handoffs.map((handoff) => [handoff.recorded, handoff.evidence])).toEqual([
      ['token-1-aaa', 'proven'],
      ['4711', 'proven'],
    ]);
    expect(script.handoffs[0]?.reason).toContain('differs between the two takes');
    expect(coverage(script).find((value) => value.value === 'Hello')?.class).toBe('fixed');
  });

  it('finds a value inside JSON inside a form field, and one in an XML body', () => {
    const take = new TakeBuilder()
      .add(['GET', '/a'], [200, json, '{"draft":{"key":"k-93fa20"}}'])
      .add(['POST', '/b', form, `doc=${encodeURIComponent('{"ref":"k-93fa20","n":1}')}`], [200, json, '{}'])
      .add(['POST', '/c', [['Content-Type', 'text/xml']], '<m><key>k-93fa20</key></m>'], [200, json, '{}'])
      .load();
    const script = handoffsOf(take, null);
    const bound = coverage(script).filter((value) => value.class === 'handed-off' || value.class === 'unsure');
    expect(bound.map((value) => value.place)).toEqual(['form:doc/json:/ref', 'xml:/m/key']);
  });

  it('takes no echo for an origin: what the client sent first stays the client’s', () => {
    const take = new TakeBuilder()
      .add(['GET', '/find?text=REF-2026-77'], [200, html, '<p>REF-2026-77</p>'])
      .add(['GET', '/open?text=REF-2026-77'], [200, html, ''])
      .load();
    const script = handoffsOf(take);
    expect(script.handoffs).toEqual([]);
    expect(script.unsure).toEqual([]);
  });

  it('makes no handoff of short values that stand everywhere by chance', () => {
    const take = new TakeBuilder()
      .add(['GET', '/a'], [200, json, '{"page":1,"ok":true,"size":20}'])
      .add(['GET', '/b?page=1&ok=true&size=20'], [200, json, '{}'])
      .load();
    const script = handoffsOf(take);
    expect(script.handoffs).toEqual([]);
    expect(script.unsure).toEqual([]);
  });

  it('lets the client make clocks near the time of the exchange, and UUIDs that no response gave', () => {
    const at = Date.parse('2026-11-23T10:00:00.000Z');
    const take = new TakeBuilder()
      .add(['GET', `/a?t=${at + 100}&old=1500000000000&id=0b9cf2a4-6d0e-4f6a-9a59-3f1f7c1f2e10`], [200, json, '{}'])
      .load();
    const script = handoffsOf(take);
    expect(script.made.map((made) => made.made)).toEqual(['epoch-ms', 'guid']);
  });

  it('takes an item of a list that changed between the takes by its position, or any where both takes picked different positions', () => {
    const flow = (codes: string[], picked: number) =>
      new TakeBuilder()
        .add(['GET', '/slots'], [200, json, JSON.stringify({ slots: codes.map((code) => ({ code })) })])
        .add(['POST', '/take', json, JSON.stringify({ slot: codes[picked] })], [200, json, '{}'])
        .load();
    const picks = (first: number, second: number) =>
      handoffsOf(flow(['A-101', 'A-207', 'A-313'], first), flow(['B-791', 'C-480', 'B-902'], second)).handoffs.map(
        (handoff) => handoff.extractor,
      );
    expect(picks(1, 1)).toMatchObject([{ kind: 'jsonpath', path: '$.slots[1].code', pick: 'first' }]);
    expect(picks(1, 2)).toMatchObject([{ kind: 'jsonpath', path: '$.slots[*].code', pick: 'any' }]);
  });

  it('aligns takes by method and path shape although one has requests more', () => {
    const first = new TakeBuilder().add(['GET', '/a'], [200, []]).add(['GET', '/x/12345'], [200, []]).add(['GET', '/b'], [200, []]).load();
    const second = new TakeBuilder()
      .add(['GET', '/a'], [200, []])
      .add(['GET', '/extra'], [200, []])
      .add(['GET', '/x/98765'], [200, []])
      .add(['GET', '/b'], [200, []])
      .load();
    expect([...alignTakes(first, second)]).toEqual([
      [1, 1],
      [2, 3],
      [3, 4],
    ]);
  });
});

it('core knows no application: no name of the stand-ins and of the real ones that were tried stands in its code', () => {
  const names =
    /yard|tidewell|formKey|pageState|X-Client-Key|X-Twin|If-Match-Intake|growerId|\/intakes\b.*fetch|adminer|adminjs|davical|django|csrfmiddleware|\blam\b|ldap|sec_token|editKey|mellon|openidc|phpldap|postfix|roundcube|_token\b.*_task|saml-chain|simplesaml|shaarli|lf_|\bsogo\b|saveAsContact|tt-?rss|wordpress|wp-|_wpnonce|rest_route/i;
  const files = (readdirSync('packages/core/src', { recursive: true }) as string[])
    .filter((file) => file.endsWith('.ts') && !file.endsWith('.spec.ts'))
    .map((file) => `packages/core/src/${file}`);
  expect(files.length).toBeGreaterThan(30);
  const hits = files.flatMap((file) =>
    readFileSync(file, 'utf8')
      .split('\n')
      .filter((line) => names.test(line) && !/^\s*(\/\*\*|\*|\/\/)/.test(line) && !line.includes('.describe('))
      .map((line) => `${file}: ${line.trim()}`),
  );
  expect(hits).toEqual([]);
});
