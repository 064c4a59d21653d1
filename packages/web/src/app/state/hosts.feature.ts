import { createFeature, createReducer, on } from '@ngrx/store';
import type { ProjectSettings } from '@sturdy/core';
import { hostsActions } from './hosts.actions';

/** Readings that are remembered for the small lines. */
const remembered = 60;

interface HostsState {
  settings: ProjectSettings | null;
  /** By watch and figure, the newest last. */
  readings: Record<string, (number | null)[]>;
  problems: Record<string, string | null>;
  /** Why nothing could be read at all. */
  problem: string | null;
}
const initial: HostsState = { settings: null, readings: {}, problems: {}, problem: null };

export const hostsFeature = createFeature({
  name: 'hosts',
  reducer: createReducer(
    initial,
    on(hostsActions.loaded, (state, { settings }) => ({ ...state, settings })),
    on(hostsActions.changed, (state, { watches }) => (state.settings ? { ...state, settings: { ...state.settings, watches } } : state)),
    on(hostsActions.unreadable, (state, { problem }) => ({ ...state, problem })),
    on(hostsActions.read, (state, { now }) => {
      const readings = { ...state.readings };
      for (const { watch, values } of now)
        for (const [figure, value] of Object.entries(values)) {
          const key = `${watch}/${figure}`;
          readings[key] = [...(readings[key] ?? []), value].slice(-remembered);
        }
      return { ...state, readings, problem: null, problems: Object.fromEntries(now.map((hostNow) => [hostNow.watch, hostNow.problem])) };
    }),
  ),
});
