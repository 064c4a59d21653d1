import { createActionGroup, emptyProps, props } from '@ngrx/store';
import type { ImportedProject, Project, ProjectSummary } from '@sturdy/core';

/** All projects of the server. */
export const projectsActions = createActionGroup({
  source: 'Projects',
  events: {
    'List asked': emptyProps(),
    'List loaded': props<{ projects: ProjectSummary[] }>(),
    'Project wanted': props<{ name: string }>(),
    /** It is named anew, archived, deleted, or had back. */
    'Project changed': props<{ project: Project }>(),
    'Removal wanted': props<{ id: string }>(),
    'Copy wanted': props<{ id: string; name: string }>(),
    /** A zip of a project was chosen. */
    'File chosen': props<{ file: File }>(),
    'Import progressed': props<{ loaded: number; total: number }>(),
    'Import failed': emptyProps(),
    /** It was read out of a file, or is a copy of another. */
    'Project imported': props<{ imported: ImportedProject }>(),
    'Secrets given': props<{ id: string; secrets: Readonly<Record<string, string>> }>(),
    'Secrets kept': props<{ missing: ImportedProject['missing'] }>(),
    'Import closed': emptyProps(),
  },
});
