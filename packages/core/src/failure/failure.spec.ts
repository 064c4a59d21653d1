import {
  failureCodes,
  failureKind,
  failureKindWords,
  failureOf,
  failureOfCheck,
  failureReason,
  failuresCsv,
  FailureSchema,
  ResponseView,
  signOf,
  wordsOfCode,
  type Check,
  type Expectation,
} from '../index.js';

const expected: Expectation = { statuses: [200], content: 'html', title: null, rootElement: null, redirect: null, harmless: [] };
const answer = (status: number, type: string, body: string) => new ResponseView(status, [['Content-Type', type]], body);
const kindOf = (response: ResponseView, more: Partial<Expectation> = {}, location?: string): string | null => {
  const failure = failureOf(response, { ...expected, ...more }, location);
  return failure && failureKind(failure);
};

describe('The code of a failure', () => {
  it.each<[string, string | null, string | null]>([
    ['a status', kindOf(answer(503, 'text/html', '<title>Busy</title>')), 'status-unexpected:503'],
    ['a redirect that is missing', kindOf(answer(200, 'text/html', '<p>x'), { redirect: '/intakes/*' }), 'redirect-missing'],
    [
      'a redirect elsewhere',
      kindOf(answer(200, 'text/html', '<p>x'), { redirect: '/intakes/*' }, 'http://h/sign-in'),
      'redirect-unexpected',
    ],
    ['another kind of content', kindOf(answer(200, 'application/json', '{"a":1}')), 'content-unexpected:json'],
    [
      'another root element',
      kindOf(answer(200, 'text/xml', '<fault/>'), { content: 'xml', rootElement: 'lot' }),
      'root-element-unexpected:fault',
    ],
    ['another title', kindOf(answer(200, 'text/html', '<title>Gone</title>'), { title: 'Desk' }), 'title-unexpected'],
    ['a good answer', kindOf(answer(200, 'text/html', '<title>Desk</title>'), { title: 'Desk' }), null],
  ])('tells what is wrong with an answer: %s', (_, found, code) => {
    expect(found).toBe(code);
  });

  it('is the same whatever the answer says, so that groups stay together', () => {
    const said = (text: string) => failureOf(answer(409, 'application/json', `{"error":"${text}"}`), expected, undefined);
    const [first, second] = [said('Bay 17 was taken'), said('Lot is closed')];
    expect(first?.text).not.toBe(second?.text);
    expect(first && failureKind(first)).toBe(second && failureKind(second));
  });

  it('tells signs and checks apart by what they are', () => {
    const page = answer(200, 'text/html', '<p>not authorized');
    expect(signOf(page, [{ kind: 'text', text: 'not authorized' }])).toMatchObject({
      code: 'failure-sign',
      subject: 'text not authorized',
    });
    const check: Check = { id: 'k7', checked: { kind: 'status', statuses: [201] }, onFailure: 'mark' };
    expect(failureOfCheck(check, 'It answered 200 instead of 201.')).toEqual({
      code: 'check-status',
      subject: 'k7',
      text: 'It answered 200 instead of 201.',
    });
  });

  it('has words for people: what happened, what it means, what to do', () => {
    for (const words of Object.values(failureCodes)) {
      expect(words.title).toMatch(/^[a-zA-Z][^.]{3,40}$/);
      expect([words.meaning, words.advice].join(' ')).toMatch(/\.$/);
    }
    expect(new Set(Object.values(failureCodes).map((words) => words.title)).size).toBe(Object.keys(failureCodes).length);
    expect(failureKindWords('status-unexpected:503')).toBe('unexpected status: 503');
    expect(failureKindWords('check-text:k7')).toBe('check of a text failed');
    expect(failureKindWords('connection-refused')).toBe('connection refused');
  });

  it('leaves as it is what runs of earlier versions hold in its place', () => {
    expect(failureKindWords('It answered 503 instead of 200.')).toBe('It answered 503 instead of 200.');
    expect(wordsOfCode('constructor')).toBeNull();
    const stored = {
      crew: 'c',
      transaction: 't',
      step: 's',
      kind: 'It broke …',
      message: 'It broke 17',
      count: 2,
      firstSecond: 0,
      lastSecond: 3,
      example: null,
    };
    const read = FailureSchema.parse(stored);
    expect(read).toMatchObject({ code: '', subject: 'It broke …', message: 'It broke 17' });
    expect(failureKind(read)).toBe('It broke …');
  });

  it('stands in the file of failures, beside the sentence', () => {
    const reason = failureReason('status-unexpected', 'It answered 503, “later”.', '503');
    const failure = { ...reason, crew: 'c', transaction: 'Book', step: 's', message: reason.text, count: 3, firstSecond: 1, lastSecond: 9 };
    expect(
      failuresCsv({ failures: [failure] })
        .split('\r\n')
        .slice(0, 2),
    ).toEqual([
      'transaction,step,code,subject,count,first_second,last_second,first_message',
      'Book,s,status-unexpected,503,3,1,9,"It answered 503, “later”."',
    ]);
  });
});
