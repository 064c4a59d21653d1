import { HttpEventType } from '@angular/common/http';
import { projectId } from '../shared/api';
import { asking } from './asking';
import { projectActions } from './project.actions';
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
  copy: asking(
    [projectsActions.copyWanted],
    (api, { id, name }) => api.duplicateProject(id, name),
    (imported) => [projectsActions.projectImported({ imported }), projectsActions.listAsked()],
    { inTurn: true },
  ),
  importFile: asking(
    [projectsActions.fileChosen],
    (api, { file }) => api.importProject(file),
    (event, { file }) => {
      if (event.type === HttpEventType.UploadProgress)
        return projectsActions.importProgressed({ loaded: event.loaded, total: event.total ?? file.size });
      return event.type === HttpEventType.Response && event.body
        ? [projectsActions.projectImported({ imported: event.body }), projectsActions.listAsked()]
        : [];
    },
    { failed: projectsActions.importFailed() },
  ),
  giveSecrets: asking(
    [projectsActions.secretsGiven],
    (api, { id, secrets }) => api.giveSecrets(id, secrets),
    // The environments of the open project are shown with what they still miss.
    (missing) => [projectsActions.secretsKept({ missing }), ...(projectId === '' ? [] : [projectActions.opened()])],
    { inTurn: true },
  ),
  remove: asking(
    [projectsActions.removalWanted],
    (api, { id }) => api.removeProject(id),
    () => projectsActions.listAsked(),
    { inTurn: true },
  ),
};
