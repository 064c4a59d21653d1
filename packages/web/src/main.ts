import { bootstrapApplication } from '@angular/platform-browser';
import type { Project } from '@sturdy/core';
import { App } from './app/app';
import { appConfig } from './app/app.config';
import { projectId } from './app/shared/api';
import { addressWithProject, allProjects, rememberProject } from './app/shared/project-address';

const tell = (error: unknown): void => {
  document.body.textContent = `The interface could not start: ${String(error)}`;
};

/** Goes to the same place in a project: addresses may leave it out. */
async function goToProject(): Promise<void> {
  const answer = await fetch('/api/projects');
  if (!answer.ok) throw new Error(`the server answers ${answer.status}. See whether it runs, and load the page anew.`);
  const { pathname, search, hash } = location;
  location.replace(addressWithProject(pathname + search + hash, (await answer.json()) as Project[]));
}

if (projectId === '' && location.pathname !== allProjects) goToProject().catch(tell);
else {
  if (projectId !== '') rememberProject(projectId);
  bootstrapApplication(App, appConfig).catch(tell);
}
