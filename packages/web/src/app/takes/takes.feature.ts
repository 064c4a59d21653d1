import { createEntityAdapter, type EntityState } from '@ngrx/entity';
import { createFeature, createReducer, on } from '@ngrx/store';
import type { Exchange, Take } from '@sturdy/core';
import type { CountedTake } from '../shared/api';
import { takesActions } from './takes.actions';

const adapter = createEntityAdapter<CountedTake>({ sortComparer: (left, right) => left.startedAt.localeCompare(right.startedAt) });

interface TakesState extends EntityState<CountedTake> {
  listed: boolean;
  current: Take | null;
  exchanges: Exchange[];
  proxy: string | null;
  refusedHosts: string[];
  importing: boolean;
  importProblems: { entry: number; text: string }[];
}

const initial: TakesState = adapter.getInitialState({
  listed: false,
  current: null,
  exchanges: [],
  proxy: null,
  refusedHosts: [],
  importing: false,
  importProblems: [],
});

export const takesFeature = createFeature({
  name: 'takes',
  reducer: createReducer(
    initial,
    on(takesActions.listLoaded, (state, { list }) => adapter.setAll(list, { ...state, listed: true })),
    on(takesActions.takeOpened, (state, { id }) =>
      state.current?.id === id ? state : { ...state, current: null, exchanges: [], refusedHosts: [] },
    ),
    on(takesActions.takeLoaded, (state, { take, exchanges }) => ({ ...state, current: take, exchanges })),
    on(takesActions.exchangeCame, (state, { exchange }) => ({
      ...state,
      exchanges: [...state.exchanges.filter((one) => one.n !== exchange.n), exchange].sort((left, right) => left.n - right.n),
    })),
    on(takesActions.takeChanged, (state, { take }) => ({ ...state, current: take })),
    on(takesActions.hostsRefused, (state, { hosts }) => ({ ...state, refusedHosts: hosts })),
    on(takesActions.recordingStarted, (state, { take, proxy }) => ({ ...state, current: take, exchanges: [], proxy, refusedHosts: [] })),
    on(takesActions.recordingStopped, (state, { take }) => ({ ...state, current: take, proxy: null })),
    on(takesActions.harChosen, (state) => ({ ...state, importing: true, importProblems: [] })),
    on(takesActions.harImported, (state, { problems }) => ({ ...state, importing: false, importProblems: problems })),
    on(takesActions.importFailed, (state) => ({ ...state, importing: false })),
  ),
  extraSelectors: ({ selectTakesState }) => adapter.getSelectors(selectTakesState),
});
