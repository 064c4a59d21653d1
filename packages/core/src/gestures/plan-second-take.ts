import type { Act, Aim, Gesture, Way } from '../take/gesture.schema.js';
import type { LoadedTake } from '../take/take.schema.js';
import { causesOf } from './caused-by.js';
import { otherText } from './other-values.js';

/** A gesture as it is to be played for a second take. */
export interface PlannedGesture {
  gesture: Gesture;
  /** What to do; other than recorded where `isOther`. */
  act: Act;
  isOther: boolean;
  /** True where another option than the recorded one is to be chosen, if there is one. */
  chooseAnother: boolean;
  /** True where the person went on elsewhere afterwards, so that the field is left. */
  leaves: boolean;
  /** The dialogs of the browser that it set off are answered so, in order. */
  answers: Extract<Act, { kind: 'answer' }>[];
  /** Why it cannot be played, in a sentence; null where it can. */
  problem: string | null;
}

export interface SecondTakeWish {
  random: () => number;
  /** Gestures that are played as they were recorded: what looks something up, and what led astray with another value. */
  asRecorded: ReadonlySet<number>;
  /** What was typed into a masked field; null where nobody knows. */
  secretOf: (gesture: Gesture) => string | null;
}

/**
 * What to play for a second take: the same gestures with other values where a person was free. Who signs in stays the same: what is typed right before a
 * password belongs to it.
 */
export function planSecondTake(gestures: readonly Gesture[], { random, asRecorded, secretOf }: SecondTakeWish): PlannedGesture[] {
  const signIns = signInFields(gestures);
  const planned: PlannedGesture[] = [];
  /** What was typed otherwise so far, by what was recorded. */
  const others = new Map<string, string>();
  gestures.forEach((gesture) => {
    const { act } = gesture;
    if (act.kind === 'answer') {
      planned.at(-1)?.answers.push(act);
      return;
    }
    const isFree = !asRecorded.has(gesture.n) && !signIns.has(gesture.n);
    const secret = act.kind === 'type' && act.isSecret ? secretOf(gesture) : '';
    // Drawn in any case, so that what is free draws the same whatever else is played as recorded.
    const other = act.kind === 'type' && !act.isSecret ? otherText(act.text, random) : '';
    const played: Act = act.kind !== 'type' ? act : act.isSecret ? { ...act, text: secret ?? '' } : isFree ? { ...act, text: other } : act;
    if (act.kind === 'type' && played.kind === 'type' && played.text !== act.text && !act.isSecret) others.set(act.text, played.text);
    planned.push({
      gesture: { ...gesture, aim: gesture.aim && withOthers(gesture.aim, others) },
      act: played,
      isOther: act.kind === 'type' && !act.isSecret && isFree && other !== act.text,
      chooseAnother: act.kind === 'choose' && act.isFree && isFree,
      leaves: act.kind === 'type' && act.isLeft,
      answers: [],
      problem:
        secret === null
          ? `What was typed into the ${gesture.aim?.words ?? 'field'} was masked, and nothing that the take sent has its name. Type it by hand.`
          : null,
    });
  });
  return planned;
}

/** Texts that are shorter stand in too many names by accident. */
const shortestName = 3;

/** An aim at something that bears what was typed before: with another value it bears that one. */
function withOthers(aim: Aim, others: ReadonlyMap<string, string>): Aim {
  const replaced = (text: string): string =>
    [...others].reduce((now, [recorded, other]) => (recorded.length < shortestName ? now : now.replaceAll(recorded, () => other)), text);
  const ways = aim.ways.map((way): Way => {
    switch (way.kind) {
      case 'role':
        return { ...way, name: replaced(way.name) };
      case 'label':
      case 'text':
        return { ...way, text: replaced(way.text) };
      case 'near':
        return { ...way, name: replaced(way.name), text: replaced(way.text) };
      case 'attribute':
      case 'test-id':
      case 'path':
        return way;
    }
  });
  return { ...aim, words: replaced(aim.words), ways };
}

/** What was typed to look something up: it asked the application at once, which knows it or does not. */
export function lookupsOf({ take, exchanges }: Pick<LoadedTake, 'take' | 'exchanges'>): number[] {
  const gestures = take.gestures ?? [];
  const causes = new Set(causesOf(gestures, exchanges).values());
  return gestures.filter(({ n, act }) => act.kind === 'type' && causes.has(n)).map(({ n }) => n);
}

/** Numbers of what was typed in one go with the first password of the take, and right before it: later passwords belong to what is entered. */
function signInFields(gestures: readonly Gesture[]): Set<number> {
  const found = new Set<number>();
  const password = gestures.findIndex(({ act }) => act.kind === 'type' && act.isSecret);
  for (let before = password - 1; before >= 0; before--) {
    const gesture = gestures[before];
    if (!gesture || (gesture.act.kind !== 'type' && gesture.act.kind !== 'choose' && gesture.act.kind !== 'tick')) break;
    found.add(gesture.n);
  }
  return found;
}

/** What a masked field held, by what the take sent after it under the name of the field. Null where nothing has its name. */
export function secretSentAfter({ exchanges, readBody }: LoadedTake, { act, untilMs }: Gesture): string | null {
  if (act.kind !== 'type' || act.field === '') return null;
  for (const exchange of exchanges) {
    if (exchange.kind !== 'request' || exchange.startedAtMs < untilMs - 1000 || !exchange.requestBody) continue;
    const text = readBody(exchange.requestBody.hash);
    if (text === undefined) continue;
    const sent = sentUnder(text, act.field);
    if (sent !== null && sent !== '') return sent;
  }
  return null;
}

/** What a body holds under a name: as JSON, as a form in parts (RFC 7578), or as a plain form. */
function sentUnder(text: string, name: string): string | null {
  if (/^\s*[{[]/.test(text)) return memberOf(text, name);
  if (!text.startsWith('--')) return new URLSearchParams(text).get(name);
  const [boundary = ''] = text.split(/\r?\n/, 1);
  const part = text.split(boundary).find((each) => each.includes(`name="${name}"`));
  return part === undefined ? null : part.replace(/^[^]*?\r?\n\r?\n/, '').replace(/\r?\n$/, '');
}

function memberOf(json: string, name: string): string | null {
  let found: string | null = null;
  try {
    JSON.parse(json, (key: string, value: unknown) => {
      if (key === name && typeof value === 'string') found ??= value;
      return value;
    });
  } catch {
    return null;
  }
  return found;
}
