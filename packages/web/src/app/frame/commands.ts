import type { Router } from '@angular/router';
import type { Store } from '@ngrx/store';
import type { Script, Workload, Run, DataTable, ProjectSummary } from '@sturdy/core';
import type { RehearsalStarter } from '../rehearsal/rehearsal-starter';
import { scriptsActions } from '../state/scripts.actions';
import type { CountedTake } from '@sturdy/core';
import { projectId } from '../shared/api';
import type { PathStarter } from '../path/path-starter';
import { addressIn, allProjects } from '../shared/project-address';
import { workloadsActions } from '../state/workloads.actions';
import type { Theme } from '../shared/theme';

/** One entry of the command palette. */
export interface Command {
  name: string;
  hint: string;
  icon: string;
  run: () => void;
}

/** What commands can be made from. */
export interface CommandGround {
  router: Router;
  store: Store;
  starter: RehearsalStarter;
  theme: Theme;
  path: Pick<PathStarter, 'start'>;
  takes: readonly CountedTake[];
  scripts: readonly Script[];
  tables: readonly DataTable[];
  workloads: readonly Workload[];
  runs: readonly Run[];
  projects: readonly ProjectSummary[];
  /** Opens the settings of the project. */
  editProject: () => void;
  scriptAtHand: Script | null;
}

export const places = [
  { name: 'Board', icon: 'grid-3x2-gap', path: '/board' },
  { name: 'Brief', icon: 'clipboard-check', path: '/brief' },
  { name: 'Takes', icon: 'record-circle', path: '/takes' },
  { name: 'Scripts', icon: 'bezier2', path: '/scripts' },
  { name: 'Data', icon: 'table', path: '/data' },
  { name: 'Workloads', icon: 'people', path: '/workloads' },
  { name: 'Runs', icon: 'activity', path: '/runs' },
  { name: 'Schedule', icon: 'calendar3', path: '/schedule' },
  { name: 'Hosts', icon: 'hdd-rack', path: '/hosts' },
];

/** Everything the palette can do now. */
export function allCommands({
  router,
  store,
  starter,
  theme,
  path,
  takes,
  scripts,
  tables,
  workloads,
  runs,
  projects,
  editProject,
  scriptAtHand,
}: CommandGround): Command[] {
  const go = (path: string) => () => void router.navigateByUrl(path);
  // Another project begins with a page of its own.
  const load = (address: string) => () => {
    location.assign(address);
  };
  const commands: Command[] = places.map((place) => ({
    name: `Go to ${place.name}`,
    hint: 'place',
    icon: place.icon,
    run: go(place.path),
  }));
  commands.push({ name: 'Who is told, by mail and webhook', hint: 'place', icon: 'envelope', run: go('/notice') });
  commands.push({ name: 'Explore runs: series in lanes', hint: 'place', icon: 'graph-up', run: go('/runs/explore') });
  commands.push({ name: 'Ask runs in SQL', hint: 'place', icon: 'terminal', run: go('/runs/explore?page=questions') });
  commands.push({ name: 'About this server', hint: 'place', icon: 'hdd-network', run: go('/about') });
  commands.push({ name: 'Show me the path of a first visit', hint: 'do', icon: 'signpost-split', run: () => void path.start() });
  commands.push({ name: 'Back up everything on this server', hint: 'place', icon: 'safe', run: go('/about') });
  commands.push({ name: 'Environments and clearances', hint: 'place', icon: 'geo', run: go('/environments') });
  commands.push({ name: 'Settings of this project', hint: 'do', icon: 'sliders', run: editProject });
  commands.push({ name: 'Export this project', hint: 'do', icon: 'download', run: load(`/api/projects/${projectId}/export`) });
  commands.push({ name: 'All projects: new, import, duplicate, archive', hint: 'place', icon: 'collection', run: load(allProjects) });
  commands.push({ name: 'Handoff patterns', hint: 'place', icon: 'book', run: go('/patterns') });
  commands.push({ name: 'Record a take', hint: 'do', icon: 'record-circle', run: go('/takes/record') });
  commands.push({
    name: theme.dark() ? 'Light theme' : 'Dark theme',
    hint: 'do',
    icon: 'circle-half',
    run: () => {
      theme.toggle();
    },
  });
  if (scriptAtHand) {
    commands.push({
      name: `Rehearse ${scriptAtHand.name}`,
      hint: 'do',
      icon: 'play-fill',
      run: () => {
        starter.start(scriptAtHand, 'rehearse');
      },
    });
    commands.push({
      name: `Correlate ${scriptAtHand.name}`,
      hint: 'do',
      icon: 'bezier',
      run: () => {
        store.dispatch(scriptsActions.correlateWanted({ secondTakeId: scriptAtHand.secondTakeId }));
      },
    });
    commands.push({
      name: `Rehearse and repair ${scriptAtHand.name}`,
      hint: 'do',
      icon: 'tools',
      run: () => {
        starter.start(scriptAtHand, 'repair');
      },
    });
  }
  for (const take of takes) commands.push({ name: take.name, hint: 'take', icon: 'record-circle', run: go(`/takes/${take.id}`) });
  for (const script of scripts) commands.push({ name: script.name, hint: 'script', icon: 'bezier2', run: go(`/scripts/${script.id}`) });
  for (const table of tables) commands.push({ name: table.name, hint: 'data', icon: 'table', run: go(`/data/${table.id}`) });
  for (const workload of workloads) {
    commands.push({ name: workload.name, hint: 'workload', icon: 'people', run: go(`/workloads/${workload.id}`) });
    commands.push({
      name: `Run ${workload.name}`,
      hint: 'do',
      icon: 'play-fill',
      run: () => {
        store.dispatch(workloadsActions.runWanted({ id: workload.id }));
      },
    });
  }
  for (const run of runs)
    commands.push({ name: `Run ${run.number}, ${run.workload.name}`, hint: 'run', icon: 'activity', run: go(`/runs/${run.id}`) });
  for (const { id, name, state } of projects)
    if (state === 'active' && id !== projectId)
      commands.push({ name: `Open the project ${name}`, hint: 'project', icon: 'folder2', run: load(addressIn(id)) });
  return commands;
}

/** Commands that hold all the typed words, in any order. */
export function matchCommands(commands: readonly Command[], typed: string): Command[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  return commands.filter((command) => words.every((word) => `${command.name} ${command.hint}`.toLowerCase().includes(word))).slice(0, 14);
}
