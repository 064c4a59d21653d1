import { randomUUID } from 'node:crypto';
import {
  addressProblem,
  clearanceOf,
  clearanceProblem,
  environmentFault,
  environmentOf,
  giveSecrets,
  isLoopback,
  judgeAddress,
  missingSecretsOf,
  neverAllowed,
  plainEnvironment,
  nothingSentTo,
  policyProblem,
  restoreSecrets,
  scriptTargets,
  targetStates,
  type Clearance,
  type Clearing,
  type Environment,
  type HistoryEntry,
  type ImportedProject,
  type LookedUpTarget,
  type Script,
  type TargetPolicy,
} from '@sturdy/core';
import { addressesNow, type Lookup } from '@sturdy/engine';
import { notFound, Problem } from '../problem/problem.js';
import type { Store } from '../store/store-client.js';

/** Who asks for something, and the id of the environment that they have chosen. */
export interface Asker {
  by: string;
  chosen?: string | undefined;
}

type EnvironmentStore = Pick<Store, 'environments' | 'saveEnvironment' | 'deleteEnvironment' | 'projectSettings' | 'addHistory'>;

/** The lowest of the ceilings that policies set; null where none does. */
const lowest = (policies: readonly TargetPolicy[], key: 'requestsPerSecond' | 'users'): number | null => {
  const set = policies.flatMap((policy) => policy[key] ?? []);
  return set.length === 0 ? null : Math.min(...set);
};

/**
 * The environments of projects, and who cleared their targets. What is kept of a clearance is changed here alone: saving an environment neither adds
 * one nor changes one.
 */
export class Environments {
  /** One change after the other, so that none writes over another. */
  #last: Promise<unknown> = Promise.resolve();

  constructor(
    readonly store: EnvironmentStore,
    /** What the operator of this machine allows to be cleared; all of them hold. */
    readonly policies: readonly TargetPolicy[] = [],
    readonly lookup?: Lookup,
  ) {}

  /**
   * The environment in which a project records, plays and asks, with what holds for the whole project. What the policy of this machine forbids is not
   * cleared in it, whoever cleared it before. `chosen` is the id of the one that whoever asks has chosen; else it is the first. A problem where there is
   * none.
   */
  async inUse(projectId: string, chosen?: string): Promise<Environment> {
    const environments = await this.store.environments(projectId);
    const environment = chosen === undefined ? environments[0] : environments.find(({ id }) => id === chosen);
    if (!environment)
      throw chosen === undefined
        ? new Problem(422, 'No environment', 'The project has no environment, so nothing may be hit. Add one with its allowed targets.')
        : new Problem(
            422,
            'The environment is gone',
            'The environment that was chosen, or that the workload names, has been deleted. Choose another one.',
          );
    const [missing] = missingSecretsOf(environment);
    if (missing)
      throw new Problem(
        422,
        'A secret is missing',
        `The environment “${environment.name}” needs the ${missing.what} (${missing.name}), which the files it came from did not hold. Give it under Environments.`,
      );
    const clearances = environment.clearances.filter((clearance) => this.#forbidden(clearance) === null);
    return environmentOf({ ...environment, clearances }, await this.store.projectSettings(projectId));
  }

  /**
   * Adds an environment: an empty one, or a copy of another with its secrets. A copy has no clearances: what was allowed for one system was not for
   * another.
   */
  add(projectId: string, name: string, copyOf?: string): Promise<Environment> {
    return this.#change(async () => {
      const known = await this.store.environments(projectId);
      this.#needGoodName(known, name);
      const id = `e${1 + Math.max(0, ...known.map((environment) => Number(/^e(\d+)$/.exec(environment.id)?.[1] ?? 0)))}`;
      const source = copyOf === undefined ? null : await this.#need(projectId, copyOf);
      const environment = source
        ? { ...source, id, name, productionLike: false, clearances: [] }
        : plainEnvironment({ id, projectId, name, targets: [] });
      await this.store.saveEnvironment(environment);
      return environment;
    });
  }

  /** Deletes an environment with its secrets; the last one stays. What was recorded and played in it stays, too. */
  remove(projectId: string, environmentId: string, by: string): Promise<void> {
    return this.#change(async () => {
      const environment = await this.#need(projectId, environmentId);
      if ((await this.store.environments(projectId)).length === 1)
        throw new Problem(
          409,
          'It is the last one',
          `“${environment.name}” is the only environment of the project. Add another one first.`,
        );
      await this.store.deleteEnvironment(projectId, environmentId);
      for (const { origin, by: clearer } of environment.clearances)
        await this.#note(environment, origin, by, 'withdrawn', `The environment was deleted, and with it the clearance by ${clearer}.`);
    });
  }

  #needGoodName(others: readonly Environment[], name: string): void {
    if (name.trim() === '') throw new Problem(422, 'No name', 'Give the environment a name.');
    if (others.some((environment) => environment.name === name))
      throw new Problem(
        409,
        'The name is taken',
        `There is an environment “${name}” already. Give this one another name, so that nobody hits the wrong one.`,
      );
  }

  /** Saves an environment; clearances of targets that it names no more are withdrawn. Throws a problem where it is faulty or a secret is missing. */
  save(given: Environment, by: string): Promise<Environment> {
    return this.#change(async () => {
      const fault = environmentFault(given);
      if (fault !== null) throw new Problem(422, 'This environment cannot be used', fault);
      const all = await this.store.environments(given.projectId);
      const known = all.find(({ id }) => id === given.id);
      this.#needGoodName(
        all.filter(({ id }) => id !== given.id),
        given.name,
      );
      const clearances = known?.clearances ?? [];
      const environment = { ...withSecrets(given, known), clearances: clearances.filter(({ origin }) => given.targets.includes(origin)) };
      await this.store.saveEnvironment(environment);
      for (const clearance of clearances)
        if (!environment.clearances.includes(clearance))
          await this.#note(
            environment,
            clearance.origin,
            by,
            'withdrawn',
            `The target was removed, and with it its clearance by ${clearance.by}.`,
          );
      return environment;
    });
  }

  /** Puts secrets where files did not hold them, by their names; gives what is still missing, by the names of environments. An empty text gives nothing. */
  giveSecrets(projectId: string, secretOf: (name: string) => string | undefined): Promise<ImportedProject['missing']> {
    return this.#change(async () => {
      const left: ImportedProject['missing'] = [];
      for (const environment of await this.store.environments(projectId)) {
        if (missingSecretsOf(environment).length === 0) continue;
        const given = giveSecrets(environment, (name) => (secretOf(name) === '' ? undefined : secretOf(name)));
        await this.store.saveEnvironment(given);
        const secrets = missingSecretsOf(given);
        if (secrets.length > 0) left.push({ environment: given.name, secrets });
      }
      return left;
    });
  }

  /** Where a target leads at this moment, and whether it can be cleared. */
  async lookUp(origin: string): Promise<LookedUpTarget> {
    const most = { requestsPerSecond: lowest(this.policies, 'requestsPerSecond'), users: lowest(this.policies, 'users') };
    const none = { origin, addresses: [], isPublic: false, most };
    const fault = environmentFault({ targets: [origin], upstreamProxy: '' });
    if (fault !== null) return { ...none, problem: fault };
    if (isLoopback(origin)) return { ...none, problem: `${origin} is on this machine and needs no clearance.` };
    let found: string[];
    try {
      found = await addressesNow(origin, this.lookup);
    } catch (error) {
      return { ...none, problem: error instanceof Error ? error.message : String(error) };
    }
    const addresses = found.flatMap((address) => {
      const judged = judgeAddress(address);
      return judged ? [{ address: judged.address, reach: judged.reach }] : [];
    });
    const wrong = found.map((address) => addressProblem(origin, found, address)).find((problem) => problem !== null);
    const clearance: Clearance = { ...leastClearance, ...most, origin, addresses: addresses.map(({ address }) => address) };
    return {
      ...none,
      addresses,
      isPublic: addresses.some(({ reach }) => reach === 'public'),
      problem: wrong ?? this.#forbidden(clearance),
    };
  }

  /**
   * Clears a target for the addresses that it has now, and adds it to the targets where it is none. Throws a problem that says why it cannot be
   * cleared; that stands in the history too.
   */
  clear(projectId: string, environmentId: string, clearing: Clearing, by: string): Promise<Environment> {
    return this.#change(async () => {
      const environment = await this.#need(projectId, environmentId);
      const { origin } = clearing;
      const { addresses, problem } = await this.lookUp(origin);
      const clearance: Clearance = { ...clearing, addresses: addresses.map(({ address }) => address) };
      const changed: Environment = {
        ...environment,
        targets: environment.targets.includes(origin) ? environment.targets : [...environment.targets, origin],
        clearances: [...environment.clearances.filter((known) => known.origin !== origin), clearance],
      };
      const refusal = problem ?? this.#forbidden(clearance) ?? environmentFault(changed) ?? clearanceProblem(changed, origin, Date.now());
      if (refusal !== null) {
        await this.#note(environment, origin, by, 'refused', `A clearance by ${clearing.by} was refused. ${refusal}`);
        throw new Problem(422, 'The target cannot be cleared', refusal);
      }
      await this.store.saveEnvironment(changed);
      const [state] = targetStates({ ...changed, targets: [origin] }, Date.now());
      await this.#note(environment, origin, by, 'cleared', `${state?.sentence ?? ''} It leads to ${clearance.addresses.join(', ')}.`);
      return changed;
    });
  }

  /** Takes a clearance back; the target stays, and is not hit any more by what begins from now on. */
  withdraw(projectId: string, environmentId: string, origin: string, by: string): Promise<Environment> {
    return this.#change(async () => {
      const environment = await this.#need(projectId, environmentId);
      const clearance = clearanceOf(environment, origin);
      if (!clearance) throw notFound('clearance', origin);
      const changed = { ...environment, clearances: environment.clearances.filter((known) => known !== clearance) };
      await this.store.saveEnvironment(changed);
      await this.#note(environment, origin, by, 'withdrawn', `The clearance by ${clearance.by} was taken back.`);
      return changed;
    });
  }

  /** Notes that something is about to make use of clearances: `what` begins the sentence, such as “Run 3”. Nothing is noted of this machine. */
  async noteUse(environment: Environment, origins: readonly string[], what: string, by: string): Promise<void> {
    for (const origin of origins) {
      const clearance = clearanceOf(environment, origin);
      if (isLoopback(origin) || !clearance) continue;
      const where = clearance.addresses.join(', ');
      await this.#note(environment, origin, by, 'used', `${what} may go to ${where}, cleared by ${clearance.by} until ${clearance.until}.`);
    }
  }

  /** The environment in which a script is played now, with a note of the clearances that this makes use of. */
  async toPlay(script: Script, what: string, { by, chosen }: Asker): Promise<Environment> {
    const environment = await this.inUse(script.projectId, chosen);
    await this.noteUse(environment, scriptTargets(script, environment), what, by);
    return environment;
  }

  /** Why the policy of this machine forbids a clearance; null where it allows it. */
  #forbidden(clearance: Clearance): string | null {
    const never = neverAllowed(clearance.origin);
    if (never !== null) return nothingSentTo(clearance.origin, never);
    return this.policies.map((policy) => policyProblem(policy, clearance)).find((problem) => problem !== null) ?? null;
  }

  async #need(projectId: string, id: string): Promise<Environment> {
    const environment = (await this.store.environments(projectId)).find((candidate) => candidate.id === id);
    if (!environment) throw notFound('environment', id);
    return environment;
  }

  async #note(environment: Environment, origin: string, by: string, kind: HistoryEntry['kind'], text: string): Promise<void> {
    const { projectId, name } = environment;
    await this.store.addHistory(projectId, { id: randomUUID(), at: new Date().toISOString(), by, kind, origin, environment: name, text });
  }

  #change<T>(work: () => Promise<T>): Promise<T> {
    const done = this.#last.then(work);
    this.#last = done.catch(() => undefined);
    return done;
  }
}

/** With the highest ceilings that a policy allows it shows whether anything can be cleared at all. */
const leastClearance = { by: '', for: '', until: '', host: '' };

/** Throws a problem where a secret was kept for which none is known. */
function withSecrets(given: Environment, known: Environment | undefined): Environment {
  try {
    return restoreSecrets(given, known);
  } catch (error) {
    throw new Problem(422, 'A secret is missing', error instanceof Error ? error.message : String(error));
  }
}
