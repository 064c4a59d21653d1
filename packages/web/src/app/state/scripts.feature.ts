import { createEntityAdapter, type EntityState } from '@ngrx/entity';
import { createFeature, createReducer, createSelector, on } from '@ngrx/store';
import { coverage, doubtfulPlaces, editScript, type CorrelationReport, type Rehearsal, type Round, type Script } from '@sturdy/core';
import type { ListedPart } from '@sturdy/core';
import { scriptsActions } from './scripts.actions';

const adapter = createEntityAdapter<Script>({ sortComparer: (left, right) => left.name.localeCompare(right.name) });

interface ScriptsState extends EntityState<Script> {
  listed: boolean;
  current: Script | null;
  past: Script[];
  future: Script[];
  rehearsals: Rehearsal[];
  step: string | null;
  handoff: string | null;
  /** What is being worked on, in words; null where nothing is. */
  busy: string | null;
  played: number;
  /** How much of a correlation is done, from 0 to 1; null where none is under way. */
  done: number | null;
  /** True while a rehearsal is played that can be paused. */
  steerable: boolean;
  /** What a rehearsal's action has added, in a sentence. */
  mended: string | null;
  report: CorrelationReport | null;
  rounds: Round[];
  /** Sequences of steps that several scripts have. */
  parts: ListedPart[];
  /** True from a change until the server has it: what the server plays meanwhile is the script before. */
  unsaved: boolean;
  /** How often the server has taken the script as it is here. */
  saved: number;
}

const initial: ScriptsState = adapter.getInitialState({
  listed: false,
  current: null,
  past: [],
  future: [],
  rehearsals: [],
  step: null,
  handoff: null,
  busy: null,
  played: 0,
  done: null,
  steerable: false,
  mended: null,
  report: null,
  rounds: [],
  parts: [],
  unsaved: false,
  saved: 0,
});

const mostUndo = 100;

/** A script as the server has changed it; the one before can be had back. */
const changed = (state: ScriptsState, script: Script): ScriptsState =>
  adapter.upsertOne(script, {
    ...state,
    past: state.current ? [...state.past.slice(1 - mostUndo), state.current] : state.past,
    future: [],
    current: script,
    unsaved: false,
  });

/** What was added, in a sentence. */
function told({ handoffs, made, eased, replaced }: CorrelationReport): string {
  const added = [
    ...handoffs.map((handoff) => `the handoff ${handoff.name}`),
    ...made.map((generatedValue) => `${generatedValue.name}, made by the client`),
    ...eased.map((change) => `a wider redirect at step ${change.step}`),
    ...replaced.map((change) => change.reason),
  ];
  return added.length === 0
    ? 'Nothing could be added from this rehearsal.'
    : `Added ${added.join(', ')}. Rehearse again to see whether it holds.`;
}

export const scriptsFeature = createFeature({
  name: 'scripts',
  reducer: createReducer(
    initial,
    on(scriptsActions.listLoaded, (state, { list }) => adapter.setAll(list, { ...state, listed: true })),
    on(scriptsActions.scriptOpened, (state, { id }) =>
      state.current?.id === id ? state : { ...initial, ids: state.ids, entities: state.entities, listed: state.listed, parts: state.parts },
    ),
    // What was changed here a moment ago is newer than what the server knows.
    on(scriptsActions.scriptLoaded, (state, { script, rehearsals }) => ({
      ...state,
      current: state.unsaved && state.current?.id === script.id ? state.current : script,
      rehearsals,
    })),
    on(scriptsActions.edited, (state, { edit }) =>
      state.current ? { ...changed(state, editScript(state.current, edit)), unsaved: true } : state,
    ),
    on(scriptsActions.saveFailed, (state) => ({ ...state, unsaved: false })),
    on(scriptsActions.undone, (state) => {
      const before = state.past.at(-1);
      return before && state.current
        ? { ...state, current: before, past: state.past.slice(0, -1), future: [state.current, ...state.future], unsaved: true }
        : state;
    }),
    on(scriptsActions.redone, (state) => {
      const [after, ...rest] = state.future;
      return after && state.current
        ? { ...state, current: after, past: [...state.past, state.current], future: rest, unsaved: true }
        : state;
    }),
    on(scriptsActions.stepSelected, (state, { step }) => ({ ...state, step })),
    on(scriptsActions.handoffSelected, (state, { handoff }) => ({ ...state, handoff })),
    on(scriptsActions.correlateWanted, (state) => ({
      ...state,
      busy: 'Correlating: looking up every sent value in every response',
      done: 0,
      played: 0,
      report: null,
      rounds: [],
    })),
    on(scriptsActions.correlated, (state, { script, report }) => ({ ...changed(state, script), busy: null, done: null, report })),
    on(scriptsActions.rehearseWanted, (state) => ({
      ...state,
      busy: 'Rehearsing',
      steerable: true,
      played: 0,
      mended: null,
      report: null,
      rounds: [],
    })),
    on(scriptsActions.commandGiven, (state, { command }) =>
      command === 'pause' ? state : { ...state, busy: 'Rehearsing', steerable: true },
    ),
    on(scriptsActions.mended, (state, { script, report }) => ({ ...changed(state, script), mended: told(report) })),
    on(scriptsActions.repairWanted, (state) => ({
      ...state,
      busy: 'Rehearsing and repairing',
      steerable: false,
      played: 0,
      mended: null,
      report: null,
      rounds: [],
    })),
    on(scriptsActions.stepPlayed, (state) => ({ ...state, played: state.played + 1 })),
    on(scriptsActions.rehearsed, (state, { rehearsal }) => ({
      ...state,
      busy: null,
      steerable: false,
      // One that waited is replaced by what became of it.
      rehearsals: [rehearsal, ...state.rehearsals.filter((known) => known.id !== rehearsal.id)],
    })),
    on(scriptsActions.repaired, (state, { script, rounds }) => ({
      ...(state.current && JSON.stringify(state.current) === JSON.stringify(script) ? state : changed(state, script)),
      busy: null,
      rounds,
      rehearsals: [...rounds.map((round) => round.rehearsal).reverse(), ...state.rehearsals],
    })),
    on(scriptsActions.saved, (state, { sent, script }) => ({
      ...state,
      saved: state.saved + 1,
      unsaved: state.unsaved && state.current !== sent,
      // What was edited meanwhile stays; it is saved a moment later. What came back as it was sent disturbs nobody who is typing.
      current: state.current === sent && JSON.stringify(script) !== JSON.stringify(sent) ? script : state.current,
    })),
    on(scriptsActions.partsLoaded, (state, { parts }) => ({ ...state, parts })),
    on(scriptsActions.textApplied, scriptsActions.replaced, (state, { script }) => changed(state, script)),
    on(scriptsActions.bound, (state, { script }) => changed(state, script)),
    on(scriptsActions.workFailed, (state) => ({ ...state, busy: null, done: null, steerable: false })),
    on(scriptsActions.workTold, (state, { done, total }) => ({ ...state, done: state.done === null ? null : done / total })),
  ),
  extraSelectors: ({ selectScriptsState, selectCurrent, selectRehearsals }) => ({
    ...adapter.getSelectors(selectScriptsState),
    selectCoverage: createSelector(selectCurrent, (script) => (script ? coverage(script) : [])),
    /** Values about which nobody is sure, with the handoffs of the step where the last rehearsal left the take. */
    selectDoubtful: createSelector(selectCurrent, selectRehearsals, (script, [last]) => (script ? doubtfulPlaces(script, last) : [])),
  }),
});
