import {
  repairInRounds,
  type Experiment,
  type Hypothesis,
  type Proof,
  type Rehearsal,
  type RehearsedStep,
  type RoundsWork,
  type Script,
} from '../index.js';

interface Played {
  verdict: 'passed' | 'drifted' | 'failed';
  steps: RehearsedStep[];
  divergence: Rehearsal['divergence'];
}
/** A rehearsal of five steps of which the first that failed is given; 0 for none. */
const failedAt = (number: number): Played => ({
  verdict: number === 0 ? 'passed' : 'failed',
  steps: [1, 2, 3, 4, 5].map((stepNumber) => ({
    step: `s${stepNumber}`,
    number: stepNumber,
    verdict: stepNumber === number ? 'failed' : 'passed',
    reasons: [],
    stale: [],
    captured: null,
  })),
  divergence: null,
});
const script = (name: string) => ({ name }) as Script;
const hypothesis = (id: string, kind: Hypothesis['kind'] = 'must-be-new', likelihood = 0.5): Hypothesis => ({
  id,
  kind,
  step: 's3',
  number: 3,
  sentence: id,
  likelihood,
});
const adds = { handoffs: [], made: [{ name: 'x', reason: '' }], eased: [], replaced: [], unsure: 0 };
const proven: Proof = { state: 'proven', made: [], changed: [], open: [] };
const open: Proof = { ...proven, state: 'unproven', open: [{ step: 's3', number: 3, kind: 'unseen', sentence: 'x', advice: '' }] };

/**
 * Plays what a script of a name gives, and tries the named experiments one after the other: each makes `after` of the script, and what of
 * it is sure makes `sure`.
 */
function work(
  plays: Record<string, Played>,
  experiments: { after: string; sure?: string; tried: Hypothesis[] }[],
  proofs: Record<string, Proof> = {},
): RoundsWork<Played> & { played: string[]; failed: (readonly string[])[] } {
  const played: string[] = [];
  const failed: (readonly string[])[] = [];
  const waiting = [...experiments];
  return {
    played,
    failed,
    rehearse: ({ name }) => {
      played.push(name);
      return Promise.resolve(plays[name] ?? failedAt(1));
    },
    repair: (current, _rehearsal, _proof, gone) => {
      failed.push([...gone]);
      const next = waiting.shift();
      if (!next) return Promise.resolve({ script: current, sure: current, report: { ...adds, made: [] }, tried: [] });
      const experiment: Experiment = {
        script: script(next.after),
        sure: next.sure === undefined ? current : script(next.sure),
        report: adds,
        tried: next.tried,
      };
      return Promise.resolve(experiment);
    },
    prove: ({ name }) => Promise.resolve(proofs[name] ?? proven),
  };
}

describe('rehearse and repair', () => {
  it('rehearses a second time as soon as it passed, and ends where the two are proven', async () => {
    const rounds = work({ raw: failedAt(3), mended: failedAt(0) }, [{ after: 'mended', tried: [hypothesis('a')] }]);
    const done = await repairInRounds(script('raw'), rounds);
    expect(rounds.played).toEqual(['raw', 'mended', 'mended']);
    expect(done).toMatchObject({ result: 'proven', proof: proven, script: { name: 'mended' } });
    expect(done.rounds.map((round) => round.tried.map((tried) => tried.outcome))).toEqual([[], [], ['helped']]);
  });

  it('takes back what did not help, tries the next, and never the same again', async () => {
    const rounds = work({ raw: failedAt(3), wrong: failedAt(2), right: failedAt(0) }, [
      { after: 'wrong', tried: [hypothesis('a')] },
      { after: 'right', tried: [hypothesis('b')] },
    ]);
    const done = await repairInRounds(script('raw'), rounds);
    expect(done.script.name).toBe('right');
    expect(rounds.failed).toEqual([[], ['a']]);
    expect(done.rounds[1]?.tried).toMatchObject([{ id: 'a', outcome: 'taken back' }]);
    const nothingHelped = await repairInRounds(
      script('raw'),
      work({ raw: failedAt(3), wrong: failedAt(3) }, [{ after: 'wrong', tried: [hypothesis('a')] }]),
    );
    expect(nothingHelped).toMatchObject({ result: 'failed', script: { name: 'raw' } });
  });

  it('keeps what a rehearsal proved even where it was not the only reason', async () => {
    const rounds = work({ raw: failedAt(3), sure: failedAt(3) }, [
      { after: 'sure', sure: 'sure', tried: [hypothesis('a', 'stale-value', 0.95)] },
    ]);
    const done = await repairInRounds(script('raw'), rounds);
    expect(done.script.name).toBe('sure');
    expect(done.rounds[1]?.tried).toMatchObject([{ id: 'a', outcome: 'kept' }]);
  });

  it('goes on with a script that passed but is not proven, and counts a proof with less open as further', async () => {
    const rounds = work({ raw: failedAt(0), better: failedAt(0) }, [{ after: 'better', tried: [hypothesis('a')] }], {
      raw: { ...open, open: [...open.open, ...open.open] },
      better: open,
    });
    const done = await repairInRounds(script('raw'), rounds);
    expect(done).toMatchObject({ result: 'unproven', proof: open, script: { name: 'better' } });
    expect(done.rounds.at(-1)?.tried).toMatchObject([{ outcome: 'helped' }]);
  });

  it('a script that passes once and fails the second time is not proven', async () => {
    let count = 0;
    const rounds = work({}, []);
    rounds.rehearse = () => Promise.resolve(failedAt(count++ === 0 ? 0 : 4));
    expect((await repairInRounds(script('raw'), rounds)).result).toBe('failed');
  });

  it('never plays more rehearsals than it said', async () => {
    const endless = Array.from({ length: 30 }, (_, at) => ({ after: `try ${at}`, tried: [hypothesis(`h${at}`)] }));
    const rounds = work({}, endless);
    const done = await repairInRounds(script('raw'), rounds, 5);
    expect([rounds.played.length, done.rounds.length, done.result]).toEqual([5, 5, 'failed']);
    const once = work({ raw: failedAt(0) }, []);
    expect(await repairInRounds(script('raw'), once, 1)).toMatchObject({ result: 'unproven', proof: null });
  });

  it('is supposed nothing of a value where a connection failed: the same is played again, twice at most', async () => {
    const cut: Played = {
      ...failedAt(2),
      divergence: { step: 's2', number: 2, sentence: 'closed', cause: 'unreachable', advice: '', refused: null },
    };
    const tries = [{ after: 'better', tried: [hypothesis('a')] }];
    const once = work({ raw: failedAt(0) }, tries, { raw: proven });
    const later: Played[] = [cut, failedAt(0), failedAt(0)];
    once.rehearse = ({ name }) => {
      once.played.push(name);
      return Promise.resolve(later.shift() ?? failedAt(0));
    };
    expect(await repairInRounds(script('raw'), once)).toMatchObject({ result: 'proven', script: { name: 'raw' } });
    expect(once.played).toEqual(['raw', 'raw', 'raw']);
    const never = work({ raw: cut }, tries);
    expect(await repairInRounds(script('raw'), never)).toMatchObject({ result: 'failed', script: { name: 'raw' } });
    expect(never.played).toEqual(['raw', 'raw', 'raw']);
    // Tried, and then nobody answered: it is not kept.
    const lost = work({ raw: failedAt(3), better: cut }, tries);
    expect(await repairInRounds(script('raw'), lost)).toMatchObject({ result: 'failed', script: { name: 'raw' } });
  });
});
