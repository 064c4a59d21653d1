import { createEntityAdapter, type EntityState } from '@ngrx/entity';
import { createFeature, createReducer, on } from '@ngrx/store';
import type { BesideRow, Exchange, SearchHit, Survey, Take } from '@sturdy/core';
import type { CountedTake } from '@sturdy/core';
import { takesActions } from './takes.actions';

const adapter = createEntityAdapter<CountedTake>({ sortComparer: (left, right) => left.startedAt.localeCompare(right.startedAt) });

interface TakesState extends EntityState<CountedTake> {
  listed: boolean;
  current: Take | null;
  exchanges: Exchange[];
  proxy: string | null;
  suggestions: string[];
  /** Bytes of a file that is being imported; null where there is none. */
  importing: { loaded: number; total: number } | null;
  importProblems: { entry: number; text: string }[];
  survey: Survey | null;
  search: { text: string; hits: SearchHit[]; more: boolean } | null;
  beside: { other: Take; exchanges: Exchange[]; rows: BesideRow[] } | null;
}

const initial: TakesState = adapter.getInitialState({
  listed: false,
  current: null,
  exchanges: [],
  proxy: null,
  suggestions: [],
  importing: null,
  importProblems: [],
  survey: null,
  search: null,
  beside: null,
});

export const takesFeature = createFeature({
  name: 'takes',
  reducer: createReducer(
    initial,
    on(takesActions.listLoaded, (state, { list }) => adapter.setAll(list, { ...state, listed: true })),
    on(takesActions.takeOpened, (state, { id }) =>
      state.current?.id === id
        ? state
        : { ...state, current: null, exchanges: [], suggestions: [], survey: null, search: null, beside: null },
    ),
    on(takesActions.takeLoaded, (state, { take, exchanges }) => ({ ...state, current: take, exchanges })),
    on(takesActions.exchangeCame, (state, { exchange }) => ({
      ...state,
      exchanges: [...state.exchanges.filter((known) => known.n !== exchange.n), exchange].sort((left, right) => left.n - right.n),
    })),
    on(takesActions.takeChanged, (state, { take }) => ({ ...state, current: take })),
    on(takesActions.namesSuggested, (state, { names }) => ({ ...state, suggestions: names })),
    on(takesActions.exchangesDiscarded, (state, { exchanges }) => ({
      ...state,
      exchanges: state.exchanges.filter((exchange) => !exchanges.includes(exchange.n)),
    })),
    on(takesActions.recordingStarted, (state, { take, proxy }) => ({ ...state, current: take, exchanges: [], proxy, suggestions: [] })),
    on(takesActions.recordingStopped, (state, { take }) => ({ ...state, current: take, proxy: null })),
    on(takesActions.harChosen, (state, { file }) => ({ ...state, importing: { loaded: 0, total: file.size }, importProblems: [] })),
    on(takesActions.importProgressed, (state, importing) => ({
      ...state,
      importing: { loaded: importing.loaded, total: importing.total },
    })),
    on(takesActions.harImported, (state, { problems }) => ({ ...state, importing: null, importProblems: problems })),
    on(takesActions.importFailed, takesActions.importCancelled, (state) => ({ ...state, importing: null })),
    on(takesActions.surveyLoaded, (state, { id, survey }) => (state.current?.id === id ? { ...state, survey } : state)),
    on(takesActions.searchAsked, (state, { text }) => (text === '' ? { ...state, search: null } : state)),
    on(takesActions.searchDone, (state, { text, hits, more }) => ({ ...state, search: { text, hits, more } })),
    on(takesActions.besideLoaded, (state, { other, exchanges, rows }) => ({ ...state, beside: { other, exchanges, rows } })),
  ),
  extraSelectors: ({ selectTakesState }) => adapter.getSelectors(selectTakesState),
});
