import type { Workload } from '@sturdy/core';
import type { Plan } from '@sturdy/engine';

/** A user of a crew, and the generator that plays it. */
export interface PlayedUser {
  place: number;
  user: number;
  generator: number;
}

/** Users that a generator gets, and users of it that go home. */
export interface UserChange {
  generator: number;
  come: { place: number; user: number }[];
  go: number[];
}

/** Who plays in a run: the users of each crew that are to be there now, each with its generator. */
export class RunCrews {
  readonly #crews: Map<string, PlayedUser[]>;
  /** The highest number that any user has. */
  #highest: number;

  constructor(workload: Workload, plans: readonly Omit<Plan, 'runId'>[]) {
    this.#crews = new Map(
      workload.crews.map(({ id }) => [
        id,
        plans.flatMap((plan) =>
          plan.crews
            .filter(({ crew }) => crew.id === id)
            .flatMap(({ users }) => users.map((user) => ({ ...user, generator: plan.generator }))),
        ),
      ]),
    );
    this.#highest = workload.crews.reduce((sum, { users }) => sum + users, 0);
  }

  /** How many users all crews have together. */
  get count(): number {
    return [...this.#crews.values()].reduce((sum, users) => sum + users.length, 0);
  }

  /** How many users a crew has; undefined where there is no such crew. */
  sizeOf(crew: string): number | undefined {
    return this.#crews.get(crew)?.length;
  }

  /** Lets users come to a crew, dealt out over some generators, or go, the last first, until it has so many. Tells what each generator is to do. */
  resize(crew: string, size: number, generators: readonly number[]): UserChange[] {
    const users = this.#crews.get(crew) ?? [];
    const places = users.reduce((most, { place }) => Math.max(most, place + 1), 0);
    const come = Array.from({ length: Math.max(0, size - users.length) }, (_, n): PlayedUser => {
      const user = ++this.#highest;
      return { place: places + n, user, generator: generators[user % generators.length] ?? 0 };
    });
    const go = users.slice(size);
    this.#crews.set(crew, [...users.slice(0, size), ...come]);
    return generators.map((generator) => ({
      generator,
      come: come.filter((user) => user.generator === generator).map(({ place, user }) => ({ place, user })),
      go: go.filter((user) => user.generator === generator).map(({ user }) => user),
    }));
  }

  /** Takes the users of a generator out. Returns how many these were. */
  drop(generator: number): number {
    const before = this.count;
    for (const [crew, users] of this.#crews)
      this.#crews.set(
        crew,
        users.filter((user) => user.generator !== generator),
      );
    return before - this.count;
  }

  /** Gives the users of a generator to others, in turn. Tells who came to whom, by crew. */
  handOver(generator: number, heirs: readonly number[]): { crew: string; heir: number; come: { place: number; user: number }[] }[] {
    return [...this.#crews].flatMap(([crew, users]) => {
      const orphans = users.filter((user) => user.generator === generator);
      orphans.forEach((user, at) => (user.generator = heirs[at % heirs.length] ?? 0));
      return heirs.map((heir) => ({
        crew,
        heir,
        come: orphans.filter((user) => user.generator === heir).map(({ place, user }) => ({ place, user })),
      }));
    });
  }
}
