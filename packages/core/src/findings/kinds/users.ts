import { hypergeometricTail } from '../../statistics/hypergeometric.js';
import type { Finding } from '../finding.schema.js';
import { failedText, type PreparedGround } from '../ground.js';

/** Users that are named, at the most. */
const mostNamed = 5;

/** Users who fail more often than the others by more than chance: each is judged against all others, and together they are held to one chance. */
export function failingUsers({ users, rules, hold }: PreparedGround): Finding[] {
  const all = users.reduce((sum, { samples, failures }) => ({ samples: sum.samples + samples, failures: sum.failures + failures }), {
    samples: 0,
    failures: 0,
  });
  if (users.length < 2 || all.failures === 0) return [];
  const unusual = users
    .filter(({ samples, failures }) => {
      const otherSamples = all.samples - samples;
      if (failures === 0 || otherSamples === 0) return false;
      const isMore = failures / samples > (all.failures - failures) / otherSamples;
      return isMore && hypergeometricTail(failures, all.failures, all.samples, samples) < rules.mostChance / users.length;
    })
    .sort((left, right) => right.failures / right.samples - left.failures / left.samples);
  const [worst] = unusual;
  // Where half of them fail, it is not the users.
  if (!worst || unusual.length > users.length / 2) return [];
  const theirs = unusual.reduce((sum, { samples, failures }) => ({ samples: sum.samples + samples, failures: sum.failures + failures }), {
    samples: 0,
    failures: 0,
  });
  const names = unusual.slice(0, mostNamed).map(({ user }) => String(user));
  const more = unusual.length > mostNamed ? ` and ${unusual.length - mostNamed} more` : '';
  return [
    {
      id: 'users failing',
      kind: 'groups',
      severity: 'notable',
      sentence: `${unusual.length === 1 ? `User ${names[0] ?? ''} fails` : `Users ${names.join(', ')}${more} fail`} more often than chance explains: ${failedText(theirs.failures, theirs.samples, 'samples')}, the others ${failedText(all.failures - theirs.failures, all.samples - theirs.samples, 'samples')}.`,
      explanation:
        'All users of a crew play the same. What tells one from another is its row of data, its sign-in and its line: look at its samples, and at the row that it was dealt.',
      fromSecond: hold.fromSecond,
      toSecond: hold.toSecond,
      series: [],
      chart: null,
    },
  ];
}
