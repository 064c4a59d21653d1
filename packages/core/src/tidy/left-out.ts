import type { Survey, Tidy } from './tidy.schema.js';

/** Kinds of what a take holds and a script leaves out unless it is told to keep it. */
export const keepable = ['files', 'telemetry', 'polls', 'hosts', 'messages', 'doubles'] as const;
export type Keepable = (typeof keepable)[number];

/** Something that is left out or put together, in a sentence, with what keeps it. */
export interface LeftOut {
  keep: Keepable;
  sentence: string;
}

/** Numbers of exchanges, the first ones where there are many. */
const numbered = (numbers: readonly number[]): string =>
  `no. ${numbers.slice(0, 8).join(', ')}${numbers.length > 8 ? ` and ${numbers.length - 8} more` : ''}`;

const many = (count: number, what: string): string => `${count} ${what}${count === 1 ? '' : 's'}`;

/** What a script leaves out of a take by these choices: nothing is left out silently. */
export function leftOutOf(survey: Survey, tidy: Tidy): LeftOut[] {
  const found: LeftOut[] = [];
  const files = survey.staticFiles.requests - tidy.kept.length;
  if (tidy.staticFiles === 'drop' && files > 0)
    found.push({
      keep: 'files',
      sentence: `${many(files, 'static file')} (styles, scripts, images, fonts) ${files === 1 ? 'is' : 'are'} left out.`,
    });
  if (tidy.telemetry === 'drop' && survey.telemetry.requests > 0)
    found.push({
      keep: 'telemetry',
      sentence: `${many(survey.telemetry.requests, 'request')} to measuring addresses ${survey.telemetry.requests === 1 ? 'is' : 'are'} left out: ${survey.telemetry.names.join(', ')}.`,
    });
  for (const poll of survey.polls) {
    const choice = tidy.polls[poll.key];
    const asked = `${poll.name} was asked ${poll.exchanges.length} times by a timer, every ${(poll.everyMs / 1000).toFixed(1)} s (${numbered(poll.exchanges)})`;
    if (choice === 'drop') found.push({ keep: 'polls', sentence: `${asked}, always with the same answer, and is left out.` });
    if (choice === 'repeat') found.push({ keep: 'polls', sentence: `${asked}; where these follow each other they are one repeat.` });
  }
  for (const { origin, requests, reason } of survey.hosts)
    if (tidy.leftOut.includes(origin))
      found.push({
        keep: 'hosts',
        sentence: `${many(requests, 'request')} to ${origin} ${requests === 1 ? 'is' : 'are'} left out. ${reason}`,
      });
  const doubled = tidy.dropped.filter((n) => survey.doubled.includes(n));
  if (doubled.length > 0)
    found.push({
      keep: 'doubles',
      sentence: `${many(doubled.length, 'request')} that a service worker of the page sent on ${doubled.length === 1 ? 'stands' : 'stand'} twice; the second is left out (${numbered(doubled)}).`,
    });
  const messages = tidy.dropped.filter((n) => !survey.doubled.includes(n));
  if (messages.length > 0)
    found.push({
      keep: 'messages',
      sentence: `${many(messages.length, 'message')} that nobody asked for ${messages.length === 1 ? 'is' : 'are'} not waited for (${numbered(messages)}).`,
    });
  return found;
}

/** What a survey proposes, with some kinds of things kept. */
export function keeping({ proposal: tidy, doubled }: Survey, kinds: readonly Keepable[]): Tidy {
  const wants = new Set(kinds);
  const isKept = (n: number): boolean => wants.has(doubled.includes(n) ? 'doubles' : 'messages');
  return {
    ...tidy,
    ...(wants.has('files') ? { staticFiles: 'keep' as const } : {}),
    ...(wants.has('telemetry') ? { telemetry: 'keep' as const } : {}),
    ...(wants.has('polls') ? { polls: {} } : {}),
    ...(wants.has('hosts') ? { leftOut: [] } : {}),
    dropped: tidy.dropped.filter((n) => !isKept(n)),
  };
}
