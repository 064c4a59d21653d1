import fc from 'fast-check';
import seedrandom from 'seedrandom';
import { gs1CheckDigit, iban } from '../data/check-digits.js';
import { isContainerNumber } from '../data/container-number.js';
import { form, TakeBuilder } from '../test/take-builder.js';
import type { Act, Gesture } from '../take/gesture.schema.js';
import { answeredOtherwise, causesOf, gestureWords, lookupsOf, otherText, planSecondTake, secretSentAfter } from './index.js';

const gesture = (n: number, act: Act, words = 'field “Goods”', more: Partial<Gesture> = {}): Gesture => ({
  n,
  atMs: 1000 * n,
  untilMs: 1000 * n + 300,
  tab: 1,
  frames: [],
  act,
  aim: { words, ways: [{ kind: 'label', text: words, found: 1 }] },
  ...more,
});
const type = (text: string, more: Partial<Extract<Act, { kind: 'type' }>> = {}): Act => ({
  kind: 'type',
  text,
  isSecret: false,
  field: '',
  isLeft: true,
  ...more,
});

describe('gestures in words', () => {
  it.each([
    [{ kind: 'click' }, 'Click the field “Goods”'],
    [type('Frozen cod'), 'Type “Frozen cod” into the field “Goods”'],
    [type('', { isSecret: true }), 'Type a password into the field “Goods”'],
    [type(''), 'Empty the field “Goods”'],
    [{ kind: 'choose', options: [{ value: '1', label: 'Alma' }], isFree: true }, 'Choose “Alma” in the field “Goods”'],
    [{ kind: 'tick', isOn: false }, 'Untick the field “Goods”'],
    [{ kind: 'press', key: 'Control+s' }, 'Press Control+s in the field “Goods”'],
    [{ kind: 'answer', isYes: true, text: '' }, 'Answer the dialog with yes'],
  ] satisfies [Act, string][])('%j', (act, words) => {
    expect(gestureWords(gesture(1, act))).toBe(words);
  });
});

describe('another text', () => {
  const other = (text: string, seed = 'a') => otherText(text, seedrandom(seed));

  it('keeps check digits right: containers (ISO 6346), GS1 numbers, IBANs (ISO 13616)', () => {
    for (let seed = 0; seed < 50; seed++) {
      const container = other('TWCU5000010', String(seed));
      expect(isContainerNumber(container)).toBe(true);
      // An example of the GS1 General Specifications, 7.9: GTIN 6291041500213.
      const gtin = other('6291041500213', String(seed));
      expect([gtin.length, gs1CheckDigit(gtin.slice(0, -1))]).toEqual([13, gtin.at(-1)]);
      // The example of ISO 13616 for the United Kingdom.
      const account = other('GB29 NWBK 6016 1331 9268 19', String(seed)).replaceAll(' ', '');
      expect(iban('GB', account.slice(4))).toBe(account);
      expect(account.slice(4, 12)).toBe('NWBK6016');
    }
  });

  it('keeps days days, times times, and a number near to what it was', () => {
    for (let seed = 0; seed < 50; seed++) {
      expect(other('2026-12-01', String(seed))).toMatch(/^2026-12-(0[1-9]|1\d|2[0-8])$/);
      expect(other('01.12.2026', String(seed))).toMatch(/^(0[1-9]|1\d|2[0-8])\.12\.2026$/);
      expect(other('14:30', String(seed))).toMatch(/^14:[0-5]\d$/);
      const pallets = Number(other('22', String(seed)));
      expect(pallets).toBeGreaterThanOrEqual(18);
      expect(pallets).toBeLessThanOrEqual(26);
      expect(other('-18.5', String(seed))).toMatch(/^-(1[5-9]|2[01])\.\d$/);
    }
    expect(other('http://growers.example/peas')).toMatch(/^http:\/\/growers\.example\/[a-z]{4}$/);
    expect(other('mara@tidewell.example')).toMatch(/^[a-z]{4}@tidewell\.example$/);
  });

  it('is of the same length and form, and another one wherever something can be changed', () => {
    fc.assert(
      fc.property(
        fc.string({ unit: fc.constantFrom('a', 'B', 'z', '0', '9', ' ', '-', '/', '.', 'ß', '€'), maxLength: 20 }),
        fc.integer(),
        (text, seed) => {
          const changed = otherText(text, seedrandom(String(seed)));
          expect(changed.length).toBe(text.length);
          const formOf = (value: string) => value.replace(/\d/g, '0').replace(/[a-z]/g, 'a').replace(/[A-Z]/g, 'A');
          expect(formOf(changed)).toBe(formOf(text));
          // A single sign may have nothing beside it that it could be, such as a month of which only one day fits.
          if (/[a-z]/i.test(text) && !/\d/.test(text)) expect(changed).not.toBe(text);
        },
      ),
      { seed: 1, numRuns: 2000 },
    );
  });
});

describe('the plan of a second take', () => {
  const gestures: Gesture[] = [
    gesture(1, { kind: 'go-to', address: 'http://yard/' }, '', { aim: null }),
    gesture(2, type('mara'), 'field “User”'),
    gesture(3, type('', { isSecret: true, field: 'password' }), 'field “Password”'),
    gesture(4, { kind: 'click' }, 'button “Sign in”'),
    gesture(5, type('22', { isLeft: false }), 'field “Pallets”'),
    gesture(6, { kind: 'press', key: 'Enter' }, 'field “Pallets”'),
    gesture(7, { kind: 'answer', isYes: true, text: '' }, '', { aim: null }),
    gesture(8, { kind: 'choose', options: [{ value: 'a', label: 'A' }], isFree: true }, 'list “Bay”'),
  ];
  const plan = (asRecorded: number[] = [], secret: string | null = 'quince') =>
    planSecondTake(gestures, { random: seedrandom('a'), asRecorded: new Set(asRecorded), secretOf: () => secret });

  it('changes what a person was free in, and neither who signs in nor the password', () => {
    const planned = plan();
    expect(planned.filter(({ isOther, chooseAnother }) => isOther || chooseAnother).map(({ gesture: { n } }) => n)).toEqual([5, 8]);
    expect(planned.map(({ act }) => (act.kind === 'type' ? act.text : act.kind)).slice(0, 4)).toEqual(['go-to', 'mara', 'quince', 'click']);
    expect(planned.every(({ problem }) => problem === null)).toBe(true);
  });

  it('draws the same values again where some stay as they were', () => {
    const texts = (asRecorded: number[]) => plan(asRecorded).flatMap(({ act }) => (act.kind === 'type' ? [act.text] : []));
    expect(texts([])).toEqual(texts([8]));
    expect(texts([5])[2]).toBe('22');
  });

  it('looks for what bears a value that was typed before by the other value', () => {
    const peas = gesture(2, { kind: 'click' }, 'row “Peas of May, 22”', {
      aim: { words: 'row “Peas of May, 22”', ways: [{ kind: 'text', tag: 'td', text: 'Peas of May, 22', found: 1 }] },
    });
    const wish = { random: seedrandom('a'), asRecorded: new Set<number>(), secretOf: () => null };
    const [typed, click] = planSecondTake([gesture(1, type('Peas of May')), peas], wish);
    const text = typed?.act.kind === 'type' ? typed.act.text : '';
    expect(text).not.toBe('Peas of May');
    expect(click?.gesture.aim).toMatchObject({ words: `row “${text}, 22”`, ways: [{ text: `${text}, 22` }] });
  });

  it('answers dialogs with the gesture that set them off, and stays in a field where a key is pressed in it next', () => {
    const planned = plan();
    expect(planned.map(({ gesture: { n } }) => n)).toEqual([1, 2, 3, 4, 5, 6, 8]);
    expect(planned.find(({ gesture: { n } }) => n === 6)?.answers).toEqual([{ kind: 'answer', isYes: true, text: '' }]);
    expect(planned.filter(({ leaves }) => leaves).map(({ gesture: { n } }) => n)).toEqual([2, 3]);
  });

  it('says where a password is not known', () => {
    expect(plan([], null).find(({ problem }) => problem !== null)?.problem).toBe(
      'What was typed into the field “Password” was masked, and nothing that the take sent has its name. Type it by hand.',
    );
  });
});

describe('gestures beside the traffic of their take', () => {
  const json = 'application/json';
  const take = new TakeBuilder()
    .add(['GET', '/'], [200, []])
    .add(['POST', '/sign-in', form, 'user=mara&password=quince-7781'], [200, []])
    .add(['POST', '/api/sign-in', [['Content-Type', json]], '{"user":{"pass":"medlar"}}'], [200, []])
    .add(['POST', '/user', [], '--x1\r\nContent-Disposition: form-data; name="newpass"\r\n\r\nquay 7\r\n--x1--\r\n'], [200, []])
    .load();
  const at = take.exchanges.map(({ startedAtMs }) => startedAtMs);

  it('each exchange followed from the last gesture before it', () => {
    expect([
      ...causesOf(
        [
          { n: 1, atMs: 0 },
          { n: 2, atMs: at[1] ?? 0 },
        ],
        take.exchanges,
      ),
    ]).toEqual([
      [1, 1],
      [2, 2],
      [3, 2],
      [4, 2],
    ]);
    expect(causesOf([{ n: 1, atMs: 1e9 }], take.exchanges).size).toBe(0);
  });

  it('a password is known by what was sent under the name of its field, in a form, in parts or in JSON', () => {
    const secret = (field: string) => secretSentAfter(take, gesture(1, type('', { isSecret: true, field }), '', { untilMs: 0 }));
    expect(secret('password')).toBe('quince-7781');
    expect(secret('pass')).toBe('medlar');
    expect(secret('newpass')).toBe('quay 7');
    expect([secret('other'), secret('')]).toEqual([null, null]);
  });

  it('what was typed looks something up where it asked the application at once', () => {
    const typed = [gesture(1, type('alm'), '', { atMs: 0 }), gesture(2, { kind: 'click' }, '', { atMs: (at[1] ?? 0) - 1 })];
    expect(lookupsOf({ ...take, take: { ...take.take, gestures: typed } })).toEqual([1]);
  });
});

describe('answers to what a gesture set off', () => {
  const set = (status: number, path = '/orders/41', method = 'POST') =>
    new TakeBuilder().add(['GET', '/page'], [200, []]).add([method, path, form, 'a=1'], [status, []]).load().exchanges;

  it('tell that the application refused a value, whatever the numbers in an address are', () => {
    expect(answeredOtherwise(set(302), set(302, '/orders/57'))).toBeNull();
    expect(answeredOtherwise(set(302), set(200, '/orders/57'))).toBe(
      'POST /orders/41 was answered with 200 where the take had 302: the application refused a value, or was in another state.',
    );
  });

  it('say nothing of what only reads, and of what came in one of the takes alone', () => {
    expect(answeredOtherwise(set(200, '/a', 'GET'), set(404, '/a', 'GET'))).toBeNull();
    expect(answeredOtherwise(set(302), set(500, '/measured'))).toBeNull();
  });
});
