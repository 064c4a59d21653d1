import type { Crew, Span, UserState } from '@sturdy/core';
import seedrandom from 'seedrandom';
import type { DriverSource } from '../drivers/kinds.js';
import { VirtualUser, type Control, type Observer } from '../play/virtual-user.js';
import type { Program } from '../program/compile.js';
import type { RowPlace } from './row-deals.js';

/** The place of one virtual user in a generator: the user, what it is doing, and until when it plays. */
export interface Seat {
  crew: Crew;
  place: number;
  state: UserState;
  /** What was told of it last. */
  lastTold: UserState | null;
  user: VirtualUser;
  tables: string[];
  random: () => number;
  /** When its time is over, in seconds of the curve; endless while nobody has said. */
  endSeconds: number;
  /** True while it plays, waits between two iterations or thinks. */
  active: boolean;
  /** True once it was asked to go home after its iteration. */
  leaves: boolean;
  /** Ends its wait for the next iteration; null while it does not wait for one. */
  wake: (() => void) | null;
  /** When it plays where the curve does not say: it came later. */
  spans: Span[] | null;
  /** True once its time was over and what was open was cut off; what that did says nothing of the system. */
  cut: boolean;
  /** Of the iteration that is under way: ms that its transactions took, and the rows that it was dealt for a single use. */
  busyMs: number;
  usedRows: RowPlace[];
}

/** Who sits on a seat. */
export interface Seating {
  crew: Crew;
  program: Program;
  /** Place in the crew (from 0), and number in the run (from 1). */
  place: number;
  user: number;
}

/** A seat without its user, whose observer and control look at it. */
export type EmptySeat = Omit<Seat, 'user'>;

/** Makes seats. Two with the same seed and number draw the same random numbers. */
export function makeSeat(
  { crew, program, place, user }: Seating,
  seed: string,
  driversFor: DriverSource,
  watching: (seat: EmptySeat) => { observer: Observer; control: Control },
): Seat {
  const random = seedrandom(`${seed}:${user}`);
  const seat: EmptySeat = {
    crew,
    place,
    state: { user, crew: crew.id, state: 'waiting', iteration: 0, step: null, row: null, lastError: null },
    lastTold: null,
    tables: program.tables,
    random,
    endSeconds: Infinity,
    active: false,
    leaves: false,
    wake: null,
    spans: null,
    cut: false,
    busyMs: 0,
    usedRows: [],
  };
  const { observer, control } = watching(seat);
  return Object.assign(seat, { user: new VirtualUser(program, driversFor(program.kinds, crew), random, observer, control) });
}

/** True where the state of a user differs from what was told of it last. */
export const hasChanged = ({ state, lastTold }: Seat): boolean =>
  lastTold?.state !== state.state ||
  lastTold.iteration !== state.iteration ||
  lastTold.step !== state.step ||
  lastTold.row !== state.row ||
  lastTold.lastError !== state.lastError;
