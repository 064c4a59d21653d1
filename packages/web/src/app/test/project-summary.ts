import type { ProjectState, ProjectSummary } from '@sturdy/core';

/** A project of the list, in which nothing was done yet. */
export const projectSummary = (
  id: string,
  name: string,
  state: ProjectState = 'active',
  more: Partial<ProjectSummary> = {},
): ProjectSummary => ({ id, name, state, takes: 0, workloads: 0, runs: 0, rehearsals: [], lastRun: null, ...more });
