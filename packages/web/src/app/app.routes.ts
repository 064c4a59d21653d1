import type { Routes } from '@angular/router';

/** The addresses within a project. */
export const routes: Routes = [
  { path: '', pathMatch: 'full', redirectTo: 'board' },
  { path: 'board', title: 'Board', loadComponent: () => import('./board/board-screen').then((loaded) => loaded.BoardScreen) },
  { path: 'brief', title: 'Brief', loadComponent: () => import('./brief/brief-screen').then((loaded) => loaded.BriefScreen) },
  { path: 'about', title: 'About this server', loadComponent: () => import('./about/about-screen').then((loaded) => loaded.AboutScreen) },
  {
    path: 'environments',
    title: 'Environments',
    loadComponent: () => import('./environment/environments-screen').then((loaded) => loaded.EnvironmentsScreen),
  },
  { path: 'takes', title: 'Takes', loadComponent: () => import('./takes/take-list').then((loaded) => loaded.TakeList) },
  {
    path: 'takes/record',
    title: 'Recording room',
    loadComponent: () => import('./takes/recording-room').then((loaded) => loaded.RecordingRoom),
  },
  { path: 'takes/:id', title: 'Take', loadComponent: () => import('./takes/take-page').then((loaded) => loaded.TakePage) },
  { path: 'scripts', title: 'Scripts', loadComponent: () => import('./scripts/script-list').then((loaded) => loaded.ScriptList) },
  { path: 'scripts/:id', title: 'Script', loadComponent: () => import('./scripts/script-screen').then((loaded) => loaded.ScriptScreen) },
  {
    path: 'scripts/:id/rehearsal',
    title: 'Rehearsal',
    loadComponent: () => import('./rehearsal/rehearsal-screen').then((loaded) => loaded.RehearsalScreen),
  },
  {
    path: 'scripts/:id/versions',
    title: 'Versions',
    loadComponent: () => import('./scripts/history-screen').then((loaded) => loaded.HistoryScreen),
  },
  {
    path: 'scripts/:id/handoffs/:handoff',
    title: 'Handoff',
    loadComponent: () => import('./handoff/handoff-screen').then((loaded) => loaded.HandoffScreen),
  },
  {
    path: 'scripts/:id/sources',
    title: 'Values in doubt',
    loadComponent: () => import('./handoff/source-screen').then((loaded) => loaded.SourceScreen),
  },
  {
    path: 'patterns',
    title: 'Handoff patterns',
    loadComponent: () => import('./patterns/pattern-screen').then((loaded) => loaded.PatternScreen),
  },
  { path: 'data', title: 'Data', loadComponent: () => import('./data/data-screen').then((loaded) => loaded.DataScreen) },
  { path: 'data/:id', title: 'Data', loadComponent: () => import('./data/data-screen').then((loaded) => loaded.DataScreen) },
  { path: 'workloads', title: 'Workloads', loadComponent: () => import('./workloads/workload-list').then((loaded) => loaded.WorkloadList) },
  {
    path: 'workloads/:id/versions',
    title: 'Versions',
    loadComponent: () => import('./workloads/workload-history-screen').then((loaded) => loaded.WorkloadHistoryScreen),
  },
  {
    path: 'workloads/:id/trend',
    title: 'Trend',
    loadComponent: () => import('./runs/trend-screen').then((loaded) => loaded.TrendScreen),
  },
  {
    path: 'workloads/:id',
    title: 'Workload',
    loadComponent: () => import('./workloads/workload-screen').then((loaded) => loaded.WorkloadScreen),
  },
  {
    path: 'schedule',
    title: 'Schedule',
    loadComponent: () => import('./schedule/schedule-screen').then((loaded) => loaded.ScheduleScreen),
  },
  { path: 'notice', title: 'Notice', loadComponent: () => import('./notice/notice-screen').then((loaded) => loaded.NoticeScreen) },
  { path: 'hosts', title: 'Hosts', loadComponent: () => import('./hosts/hosts-screen').then((loaded) => loaded.HostsScreen) },
  { path: 'runs', title: 'Runs', loadComponent: () => import('./runs/run-list').then((loaded) => loaded.RunList) },
  {
    path: 'runs/compare',
    title: 'Runs side by side',
    loadComponent: () => import('./runs/compare-screen').then((loaded) => loaded.CompareScreen),
  },
  {
    path: 'runs/explore',
    title: 'Explore',
    loadComponent: () => import('./explore/explore-screen').then((loaded) => loaded.ExploreScreen),
  },
  { path: 'runs/:id/report', title: 'Report', loadComponent: () => import('./runs/report-screen').then((loaded) => loaded.ReportScreen) },
  { path: 'runs/:id', title: 'Run', loadComponent: () => import('./runs/run-screen').then((loaded) => loaded.RunScreen) },
  { path: '**', redirectTo: 'board' },
];

/** The addresses that name no project. */
export const routesWithoutProject: Routes = [
  {
    path: 'projects',
    title: 'Projects',
    loadComponent: () => import('./projects/projects-screen').then((loaded) => loaded.ProjectsScreen),
  },
  { path: '**', redirectTo: 'projects' },
];
