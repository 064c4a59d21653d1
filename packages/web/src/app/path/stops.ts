import { resultOf, type CountedTake, type Rehearsal, type Run, type Script } from '@sturdy/core';

/** What is remembered of a walk along the path, in the browser that walks it. */
export interface Walk {
  /** Scripts that were there before it began: the path goes on with the one that is made on it. */
  before: readonly string[];
  /** Runs that were there before it began. */
  runsBefore: readonly string[];
  /** Stops that were reached and left behind; a stop stays reached, whatever becomes of the script later. */
  reached: readonly StopName[];
}

/** What is known of the project now. */
export interface PathFacts {
  takes: readonly CountedTake[];
  scripts: readonly Script[];
  /** Rehearsals of the script that is open, newest first. */
  rehearsals: readonly Rehearsal[];
  runs: readonly Run[];
}

export const stopNames = ['record', 'fail', 'why', 'repair', 'pass', 'load'] as const;
export type StopName = (typeof stopNames)[number];

/** A stop of the path: what is seen there, what to do, and where. */
export interface Stop {
  name: StopName;
  title: string;
  /** What to do, in a sentence or two. */
  text: string;
  /** The screen that it is done on. */
  link: string;
  isReached: boolean;
}

/** The path of a first visit through the screens that it is about, as far as it was walked. */
export function pathStops(walk: Walk, { takes, scripts, rehearsals, runs }: PathFacts): Stop[] {
  const script = pathScript(walk, scripts);
  // What rehearsals of another script say is nothing to this one.
  const own = script === undefined ? [] : rehearsals.filter(({ scriptId }) => scriptId === script.id);
  const [last] = own;
  const take = takes.find(({ id }) => id === script?.takeId) ?? takes[0];
  const scriptLink = script === undefined ? '/scripts' : `/scripts/${script.id}`;
  const seen: Record<StopName, boolean> = {
    record: takes.length > 0,
    fail: own.some((rehearsal) => resultOf(rehearsal) === 'failed') || (last !== undefined && resultOf(last) !== 'failed'),
    why: false,
    repair: (script?.handoffs.length ?? 0) > 0,
    pass: last !== undefined && ['proven', 'unproven'].includes(resultOf(last)),
    load: runs.some(({ id, workload }) => !walk.runsBefore.includes(id) && workload.crews.some(({ scriptId }) => scriptId === script?.id)),
  };
  const described: Record<StopName, Pick<Stop, 'title' | 'text' | 'link'>> = {
    record: {
      title: 'Record',
      text: 'Record in a browser what a person does, and name each transaction. A second take of the same shows later what moves.',
      link: '/takes/record',
    },
    fail:
      script === undefined
        ? {
            title: 'See it fail',
            text: `Open ${take === undefined ? 'a take' : `“${take.name}”`}, and make a script of it.`,
            link: take === undefined ? '/takes' : `/takes/${take.id}`,
          }
        : {
            title: 'See it fail',
            text: `Press “Rehearse”: one virtual user plays “${script.name}” as it was recorded.`,
            link: scriptLink,
          },
    why: {
      title: 'See why',
      text: 'The step at which the replay left the take is marked, with the reason in words. Open the rehearsal to see both answers beside each other.',
      link: script === undefined ? '/scripts' : `${scriptLink}/rehearsal`,
    },
    repair: {
      title: 'Repair it',
      text: 'Press “Rehearse and repair”, or “Correlate” with a second take: values that the server gives are handed on from now on. Each string shows one.',
      link: scriptLink,
    },
    pass: {
      title: 'See it pass',
      text: 'Rehearse again. Passed and proven means that the application made something new each time, and showed it.',
      link: scriptLink,
    },
    load: {
      title: 'Load it',
      text: 'Make a workload with the script, a few users and a limit, and start the run. Its verdict says whether the limit held and whether the figures can be trusted.',
      link: '/workloads',
    },
  };
  return stopNames.map((name) => ({ name, ...described[name], isReached: seen[name] || walk.reached.includes(name) }));
}

/** The script that was made on the path, the last one where there are several. */
export const pathScript = (walk: Walk, scripts: readonly Script[]): Script | undefined =>
  scripts.filter(({ id }) => !walk.before.includes(id)).at(-1);

/** The stop to go to next; undefined at the end of the path. Reaching a later one leaves those before it behind. */
export function nextStop(stops: readonly Stop[]): Stop | undefined {
  const lastReached = stops.map(({ isReached }) => isReached).lastIndexOf(true);
  return stops.slice(lastReached + 1)[0];
}
