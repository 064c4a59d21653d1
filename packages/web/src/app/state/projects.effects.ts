import { asking } from './asking';
import { projectsActions } from './projects.actions';

export const projectsEffects = {
  list: asking(
    [projectsActions.listAsked],
    (api) => api.projects(),
    (projects) => projectsActions.listLoaded({ projects }),
  ),
  add: asking(
    [projectsActions.projectWanted],
    (api, { name }) => api.addProject(name),
    () => projectsActions.listAsked(),
    { inTurn: true },
  ),
  change: asking(
    [projectsActions.projectChanged],
    (api, { project }) => api.changeProject(project),
    () => projectsActions.listAsked(),
    // What was refused is shown as it is.
    { inTurn: true, failed: projectsActions.listAsked() },
  ),
  remove: asking(
    [projectsActions.removalWanted],
    (api, { id }) => api.removeProject(id),
    () => projectsActions.listAsked(),
    { inTurn: true },
  ),
};
