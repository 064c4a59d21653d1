import { randomUUID } from 'node:crypto';
import { environmentFault, plainEnvironment, type Project, type ProjectState } from '@sturdy/core';
import { notFound, Problem } from '../problem/problem.js';
import type { Store } from '../store/store-client.js';

type ProjectStore = Pick<Store, 'projects' | 'project' | 'saveProject' | 'deleteProject' | 'saveEnvironment' | 'saveProjectConsidered'>;

/** What projects need to know of the rest of the server. */
export interface ProjectGround {
  /** What is recorded, rehearsed or run in a project now, in words; null where nothing is. */
  underWay: (projectId: string) => string | null;
  /** Deletes the samples of a run. */
  deleteSamples: (runId: string) => Promise<void>;
}

/** An id that no project has had. */
export const newProjectId = (): string => `p${randomUUID().slice(0, 8)}`;

/** Projects: they are made, named, put aside, deleted and had back. */
export class Projects {
  constructor(
    readonly store: ProjectStore,
    readonly ground: ProjectGround,
  ) {}

  /** Makes an empty project with one environment, which names these targets. Throws a problem where the name is taken. */
  async add(name: string, targets: readonly string[] = [], id = newProjectId()): Promise<Project> {
    await this.needFreeName(name);
    const environment = plainEnvironment({ id: 'e1', projectId: id, name: 'This machine', targets: [...targets] });
    const fault = environmentFault(environment);
    if (fault !== null) throw new Problem(422, 'Not a target', fault);
    const project: Project = { id, name, state: 'active' };
    await this.store.saveProject(project);
    await this.store.saveEnvironment(environment);
    return project;
  }

  /** Names a project anew, or puts it aside, or has it back. Throws a problem where something is under way in it. */
  async change(id: string, { name, state }: { name: string; state: ProjectState }): Promise<Project> {
    const project = await this.need(id);
    if (state !== 'deleted') await this.needFreeName(name, id);
    if (state !== 'active') this.#needNothingUnderWay(project, state === 'archived' ? 'archived' : 'deleted');
    const changed: Project = { id, name, state };
    // What was due while it was put aside was not missed: nobody wanted it.
    if (state === 'active' && project.state !== 'active') await this.store.saveProjectConsidered(id, new Date().toISOString());
    await this.store.saveProject(changed);
    return changed;
  }

  /** Deletes a project for good, with all that is in it. Throws a problem where it was not deleted before. */
  async remove(id: string): Promise<void> {
    const project = await this.need(id);
    if (project.state !== 'deleted')
      throw new Problem(
        409,
        'It is still in use',
        `“${project.name}” is not deleted yet. Delete it first; only then it can be deleted for good.`,
      );
    for (const runId of await this.store.deleteProject(id)) await this.ground.deleteSamples(runId);
  }

  async need(id: string): Promise<Project> {
    const project = await this.store.project(id);
    if (!project) throw notFound('project', id);
    return project;
  }

  /** Throws a problem where a project of this name is there already; those that wait to be deleted for good do not count. */
  async needFreeName(name: string, exceptId?: string): Promise<void> {
    const taken = (await this.store.projects()).some(
      (project) => project.name === name && project.id !== exceptId && project.state !== 'deleted',
    );
    if (taken) throw new Problem(409, 'The name is taken', `There is a project “${name}” already. Give this one another name.`);
  }

  /** A name that no project has: this one where it is free. */
  async freeName(name: string): Promise<string> {
    const taken = new Set((await this.store.projects()).flatMap((project) => (project.state === 'deleted' ? [] : [project.name])));
    for (let n = 1; ; n++) {
      const free = n === 1 ? name : `${name} (${n})`;
      if (!taken.has(free)) return free;
    }
  }

  #needNothingUnderWay({ id, name }: Project, change: string): void {
    const underWay = this.ground.underWay(id);
    if (underWay !== null)
      throw new Problem(
        409,
        'Something is under way',
        `“${name}” cannot be ${change} now: ${underWay}. Wait until it is over, or stop it.`,
      );
  }
}
