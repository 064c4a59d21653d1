/** Id of the project that an address names; empty where it names none. */
export const projectIn = (path: string): string => /^\/projects\/([^/]+)/.exec(path)?.[1] ?? '';

/** Address of a place in a project, such as `/board`. Going there loads the page anew, so nothing of another project is left on it. */
export const addressIn = (projectId: string, place = '/board'): string => `/projects/${projectId}${place}`;

/** The list of all projects. */
export const allProjects = '/projects';

const key = 'sturdy-project';

/** Remembers that a project was worked in last, so that the next visit begins there. */
export function rememberProject(projectId: string): void {
  localStorage.setItem(key, projectId);
}

/** Where an address that names no project leads to: the same place in the project that was open last, or else in the first one. */
export function addressWithProject(path: string, projects: readonly { id: string; state: string }[]): string {
  const active = projects.filter(({ state }) => state === 'active');
  const last = localStorage.getItem(key);
  const project = active.find(({ id }) => id === last) ?? active[0];
  return project ? addressIn(project.id, path === '/' ? '/board' : path) : allProjects;
}
