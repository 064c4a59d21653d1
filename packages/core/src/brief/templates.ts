import { BriefSchema, type Brief } from './brief.schema.js';

/** A brief to begin with, for a common kind of test. */
export interface BriefTemplate {
  id: string;
  name: string;
  explanation: string;
  brief: Brief;
}

const point = (id: string, text: string) => ({ id, text });
const processor = { id: 'l1', figure: 'processor', limit: 70, forMinutes: 5 };

/** Shipped templates; their limits are common practice, no source. */
export const briefTemplates: readonly BriefTemplate[] = [
  {
    id: 'release',
    name: 'Acceptance of a release',
    explanation: 'Does the new release hold what the old one did, at the load of a peak hour?',
    brief: BriefSchema.parse({
      title: 'Acceptance of the release',
      aims: 'Show that the new release serves the load of the peak hour within the limits, and that no key transaction became slower than in the release before.',
      defaultLimit: { measure: 'p95', limitMs: 2000 },
      errorPercent: 1,
      hostLimits: [processor],
      assumptions: [
        point('a1', 'The test environment holds as much data as production.'),
        point('a2', 'No other test runs at the same time.'),
      ],
      risks: [point('r1', 'Interfaces to other systems are simulated; their delay is assumed.')],
      questions: [point('q1', 'Which release is the one before, and is there a run of it to compare with?')],
    }),
  },
  {
    id: 'capacity',
    name: 'Capacity: where does it turn',
    explanation: 'At how many users does service turn, and what is the reason?',
    brief: BriefSchema.parse({
      title: 'Capacity',
      aims: 'Find at how many users response times leave their plateau, which resource is at its limit then, and what that means for production.',
      defaultLimit: { measure: 'p95', limitMs: 3000 },
      errorPercent: 1,
      hostLimits: [{ ...processor, limit: 90, forMinutes: 1 }],
      assumptions: [point('a1', 'Capacity grows in proportion to the size of the hosts.')],
      risks: [point('r1', 'The generators may be the bottleneck; their figures are judged with the run.')],
      questions: [point('q1', 'Which growth is expected over the next two years?')],
    }),
  },
  {
    id: 'endurance',
    name: 'Endurance: a working day and more',
    explanation: 'Does it stay as quick over many hours, and does memory level off?',
    brief: BriefSchema.parse({
      title: 'Endurance',
      aims: 'Show that under a load that stays the same for eight hours or more response times and memory do not drift, and that jobs at night do not disturb.',
      defaultLimit: { measure: 'p95', limitMs: 2000 },
      errorPercent: 0.5,
      hostLimits: [processor, { id: 'l2', figure: 'memory', limit: 90, forMinutes: 15 }],
      assumptions: [point('a1', 'The load of an ordinary hour stands for the whole day.')],
      risks: [point('r1', 'Test data may run out; the forecast of the workload says when.')],
      questions: [point('q1', 'Which jobs run at night, and when?')],
    }),
  },
  {
    id: 'move',
    name: 'Move to other hosts',
    explanation: 'Is the new data centre or platform as quick as the old one?',
    brief: BriefSchema.parse({
      title: 'Move to new hosts',
      aims: 'Show that the application serves the same load on the new hosts as on the old ones, with the same scripts and data.',
      defaultLimit: { measure: 'p95', limitMs: 2000 },
      errorPercent: 1,
      hostLimits: [processor],
      assumptions: [point('a1', 'Both environments hold the same data and the same release.')],
      risks: [point('r1', 'The line to the new hosts may be slower than to the old ones.')],
      questions: [point('q1', 'When are the old hosts switched off?')],
    }),
  },
];
