import {
  correlate,
  PatternBook,
  patternsOf,
  previewPattern,
  publishedPatterns,
  readPatterns,
  scriptFromTake,
  writePatterns,
  type HandoffPattern,
  type LoadedTake,
} from '../index.js';
import { everything } from '../tidy/tidy.schema.js';
import { form, html, json, TakeBuilder } from '../test/take-builder.js';

const made = (take: LoadedTake, patterns: readonly HandoffPattern[], second: LoadedTake | null = null) =>
  correlate(scriptFromTake(take, { scriptId: 's', name: 's', tidy: everything }), take, second, patterns).script;
const ownPattern = (change: Partial<HandoffPattern>): HandoffPattern => ({
  id: 'own',
  name: 'Lane of the day',
  about: '',
  enabled: true,
  sent: { in: [], name: '^lane$', value: '' },
  received: { in: [], name: '', afterChange: false },
  decision: 'hand-off',
  ...change,
});

describe('handoff patterns', () => {
  const take = new TakeBuilder()
    .add(['GET', '/page'], [200, html, '<meta name="lane" content="north-east"><input name="colour" value="green">'])
    .add(['POST', '/save', form, 'lane=north-east&colour=green'], [200, html, '<p>ok</p>'])
    .load();

  it('hand off what no shape tells, with a reason that names the pattern; not where the pattern is switched off', () => {
    const { handoffs } = made(take, [ownPattern({})]);
    expect(handoffs.map((handoff) => [handoff.name, handoff.evidence, handoff.reason])).toEqual([
      ['lane', 'likely', 'The pattern “Lane of the day” knows it as “lane”, and the attribute content of <meta name="lane"> gives it.'],
    ]);
    expect(made(take, [ownPattern({ enabled: false })]).handoffs).toEqual([]);
    expect(made(take, [ownPattern({})], take).handoffs[0]?.reason).toContain('the same in both takes, but the pattern “Lane of the day”');
  });

  it('ask for the place where it is sent and received, the form of the value, and the answer to a change', () => {
    const found = (change: Partial<HandoffPattern>) => made(take, [ownPattern(change)]).handoffs.length;
    expect(found({ sent: { in: ['form'], name: '^lane$', value: 'north' } })).toBe(1);
    expect(found({ sent: { in: ['query', 'header'], name: '^lane$', value: '' } })).toBe(0);
    expect(found({ sent: { in: [], name: '^lane$', value: '^\\d+$' } })).toBe(0);
    expect(found({ received: { in: ['field'], name: '', afterChange: false } })).toBe(0);
    expect(found({ received: { in: ['attribute'], name: 'LANE', afterChange: false } })).toBe(1);
    expect(found({ received: { in: [], name: '', afterChange: true } })).toBe(0);
  });

  it('leave a value as recorded where they say so, unless a second take proves that it moves', () => {
    const flow = (token: string) =>
      new TakeBuilder()
        .add(['GET', '/page'], [200, html, `<input name="token" value="${token}">`])
        .add(['POST', '/save', form, `token=${token}`], [200, html, '<p>ok</p>'])
        .load();
    const leave = ownPattern({ sent: { in: [], name: '^token$', value: '' }, decision: 'leave' });
    expect(made(flow('a1b2c3d4e5f6'), [leave]).handoffs).toEqual([]);
    expect(made(flow('a1b2c3d4e5f6'), [leave], flow('f6e5d4c3b2a1')).handoffs.map((handoff) => handoff.evidence)).toEqual(['proven']);
  });

  it('show what they would find, and what fits but cannot be read so', () => {
    expect(previewPattern(take, ownPattern({})).map(({ step, place, value, reads, from }) => [step, place, value, reads, from])).toEqual([
      ['POST /save', 'form:lane', 'north-east', 'the attribute content of <meta name="lane">', '1, GET /page'],
    ]);
    expect(previewPattern(take, ownPattern({ received: { in: ['json'], name: '', afterChange: false } }))).toMatchObject([
      { reads: null, from: null },
    ]);
  });

  it('come back from a file as they were; what is wrong in a file is told by name', () => {
    const list = patternsOf([ownPattern({})]);
    expect(readPatterns(writePatterns(list))).toEqual({ list });
    expect(readPatterns(JSON.stringify({ patterns: 1, list }))).toEqual({ list });
    expect(readPatterns('patterns: 2\nlist: []')).toMatchObject({
      problems: [{ line: 1, column: 1, message: expect.stringContaining('patterns:') as string }],
    });
    expect(readPatterns('patterns: [')).toMatchObject({
      problems: [{ line: 1, message: expect.stringContaining('This is no YAML') as string }],
    });
    expect(readPatterns(writePatterns([ownPattern({ sent: { in: [], name: '(', value: '' } })]))).toMatchObject({
      problems: [
        {
          line: 3,
          message: expect.stringContaining(
            'The pattern “Lane of the day” cannot be used: the expression for the name of what is sent, (, is not valid',
          ) as string,
        },
      ],
    });
  });

  it('change a shipped one in its own place', () => {
    const [first] = publishedPatterns;
    const changed = { ...(first ?? ownPattern({})), enabled: false };
    expect(patternsOf([changed])[0]).toEqual(changed);
    expect(patternsOf([changed])).toHaveLength(publishedPatterns.length);
  });
});

describe('the patterns that are shipped', () => {
  /** The names that the cited documents, or the conventions they describe, give to what a client sends back. */
  it.each([
    ['if-match', 'if-match', 'header:if-match', '"67ab43"', 'RFC 9110, 13.1.1'],
    ['oauth', 'code', 'form:code', 'SplxlOBeZQQYbYS6WxSbIA', 'RFC 6749, 4.1.3'],
    ['oauth', 'refresh_token', 'form:refresh_token', 'tGzv3JOkF0XG5Qx2TlKWIA', 'RFC 6749, 6'],
    ['oauth', 'nonce', 'query:nonce', 'n-0S6_WzA2Mj', 'OpenID Connect Core 1.0, 3.1.2.1'],
    ['saml', 'RelayState', 'form:RelayState', '0043bfc1bc45110dae17004005b13a2b', 'SAML 2.0 Bindings, 3.5.3'],
    ['record-version', 'rowVersion', 'json:/rowVersion', '12', 'common practice, no source'],
    ['cursor', 'after', 'query:after', 'Y3Vyc29yMQ==', 'GraphQL Cursor Connections, 4'],
    ['anti-forgery', 'csrf_token', 'form:csrf_token', '9f86d081884c', 'OWASP, synchronizer token'],
  ])('%s knows %s', (id, name, place, value) => {
    expect(new PatternBook(publishedPatterns).sentAs(value, name, place).map((pattern) => pattern.id)).toContain(id);
  });

  it('let ordinary fields alone', () => {
    const book = new PatternBook(publishedPatterns);
    for (const [name, value] of [
      ['q', 'frozen cod'],
      ['quantity', '22'],
      ['city', 'Lowell'],
      ['comment', 'Second pallet is wet'],
      // Names of the conventions with words that people choose.
      ['state', 'queued'],
      ['code', 'Lowell'],
      ['token', 'standard'],
    ])
      expect(book.sentAs(value ?? '', name ?? '', `form:${name ?? ''}`)).toEqual([]);
  });

  it('read the id of what a change made from its redirect, and from nothing else', () => {
    const flow = new TakeBuilder()
      .add(['POST', '/orders', json, '{"what":"cod"}'], [201, [['Location', '/orders/48213']]])
      .add(['GET', '/orders/48213'], [200, html, '<p>ok</p>'])
      .load();
    const only = publishedPatterns.filter((publishedPattern) => publishedPattern.id === 'created-redirect');
    expect(previewPattern(flow, only[0] ?? ownPattern({})).map((find) => [find.value, find.reads])).toEqual([
      ['48213', 'the header location, after “/orders/”'],
    ]);
  });
});
