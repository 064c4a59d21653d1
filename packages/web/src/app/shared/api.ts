import { HttpClient, HttpErrorResponse, HttpParams, type HttpEvent } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type {
  About,
  Blackout,
  Catalogue,
  Question,
  QuestionAnswer,
  SavedQuestion,
  SavedView,
  SeriesKey,
  SeriesPoints,
  GivenSchedule,
  ListedNotice,
  NoticeSettings,
  ScheduledStart,
  ScheduleView,
  Baseline,
  ListedReport,
  ReportDocument,
  ReportTemplate,
  Brief,
  BriefView,
  Finding,
  MadeSecondTake,
  RunComparison,
  Trend,
  Backup,
  BesideRow,
  Board,
  CertificateHelp,
  Clearing,
  HistoryEntry,
  LookedUpTarget,
  Check,
  CheckSuggestion,
  CodeStep,
  CorrelationReport,
  DataTable,
  Deal,
  DryIteration,
  Environment,
  Exchange,
  Extractor,
  FailureSign,
  Forecast,
  GeneratedColumn,
  HandoffPattern,
  LanePoint,
  PatternFind,
  Project,
  ProjectSettings,
  ProjectSummary,
  Proposal,
  Rehearsal,
  RehearsalCommand,
  RehearsalWish,
  RoundsDone,
  Run,
  RunResult,
  RunTable,
  RunTableBy,
  SamplePage,
  SamplesKept,
  UserFigures,
  UserLogEntry,
  UserState,
  Script,
  HostSeries,
  ShownFigure,
  Version,
  SearchHit,
  StepDifference,
  Survey,
  TableChange,
  TableVersion,
  TableView,
  TableWish,
  Take,
  TextProblem,
  Trial,
  TriedCheck,
  Workload,
  SourcePlace,
  CountedTake,
  Damaged,
  Duplicates,
  FoundSources,
  HeldSign,
  HostNow,
  ImportedProject,
  ImportedTable,
  ImportedTake,
  ListedPart,
  ListedPattern,
  LiveState,
  RecordingOptions,
  ScriptOptions,
  TriedCode,
} from '@sturdy/core';
import { map, type Observable } from 'rxjs';
import { liveStream } from './live-stream';
import { projectIn } from './project-address';

/** The project that the address of the page names; empty for the list of all. */
export const projectId = projectIn(location.pathname);
const inProject = `/api/projects/${projectId}`;

/** The server's operations, one method each; see /api/openapi.json. */
@Injectable({ providedIn: 'root' })
export class Api {
  readonly #http = inject(HttpClient);

  projects = () => this.#http.get<ProjectSummary[]>('/api/projects');
  addProject = (name: string) => this.#http.post<Project>('/api/projects', { name });
  changeProject = ({ id, name, state }: Project) => this.#http.put<Project>(`/api/projects/${id}`, { name, state });
  duplicateProject = (id: string, name: string) => this.#http.post<ImportedProject>(`/api/projects/${id}/duplicate`, { name });
  /** Uploads a project as a zip; told of its progress. */
  importProject = (file: Blob): Observable<HttpEvent<ImportedProject>> =>
    this.#http.post<ImportedProject>('/api/projects/import', file, {
      headers: { 'Content-Type': 'application/zip' },
      observe: 'events',
      reportProgress: true,
    });
  /** Gives secrets by their names; answers with those that are still missing. */
  giveSecrets = (id: string, secrets: Readonly<Record<string, string>>) =>
    this.#http.put<ImportedProject['missing']>(`/api/projects/${id}/missing-secrets`, secrets);
  removeProject = (id: string) => this.#http.delete<object>(`/api/projects/${id}`);
  live = () => this.#http.get<LiveState>('/api/live');
  about = () => this.#http.get<About>('/api/about');
  backUp = () => this.#http.post<Backup>('/api/backups', {});
  board = () => this.#http.get<Board>(`${inProject}/board`);
  environments = () => this.#http.get<Environment[]>(`${inProject}/environments`);
  addEnvironment = (name: string, copyOf?: string) =>
    this.#http.post<Environment>(`${inProject}/environments`, { name, ...(copyOf === undefined ? {} : { copyOf }) });
  removeEnvironment = (id: string) => this.#http.delete<object>(`${inProject}/environments/${id}`);
  /** Where a target leads, and whether it can be cleared; nothing is sent to it. */
  lookUp = (origin: string) => this.#http.get<LookedUpTarget>(`${inProject}/look-up`, { params: { origin } });
  clearTarget = (environment: string, clearing: Clearing) =>
    this.#http.post<Environment>(`${inProject}/environments/${environment}/clearances`, clearing);
  withdrawClearance = (environment: string, origin: string) =>
    this.#http.delete<Environment>(`${inProject}/environments/${environment}/clearances`, { params: { origin } });
  history = () => this.#http.get<HistoryEntry[]>(`${inProject}/history`);
  saveEnvironment = (environment: Environment) => this.#http.put<Environment>(`${inProject}/environments/${environment.id}`, environment);

  projectSettings = () => this.#http.get<ProjectSettings>(`${inProject}/settings`);
  saveProjectSettings = (settings: ProjectSettings) => this.#http.put<ProjectSettings>(`${inProject}/settings`, settings);
  tryFailureSign = (sign: FailureSign) => this.#http.post<HeldSign[]>(`${inProject}/try-failure-sign`, sign);

  takes = () => this.#http.get<CountedTake[]>(`${inProject}/takes`);
  take = (id: string) => this.#http.get<{ take: Take; exchanges: Exchange[] }>(`/api/takes/${id}`);
  deleteTake = (id: string) => this.#http.delete(`/api/takes/${id}`);
  startRecording = (options: RecordingOptions) => this.#http.post<{ take: Take; proxy: string }>(`${inProject}/takes/record`, options);
  pauseRecording = (paused: boolean) => this.#http.post<Take>('/api/takes/record/pause', { paused });
  discardLast = (count: number) => this.#http.post<{ exchanges: number[] }>('/api/takes/record/discard', { count });
  certificate = () => this.#http.get<CertificateHelp>('/api/recorder/certificate');
  mark = (kind: 'begin' | 'end' | 'comment', text: string) => this.#http.post<Take>('/api/takes/record/marks', { kind, text });
  stopRecording = () => this.#http.post<Take>('/api/takes/record/stop', {});
  openBrowser = (address: string) => this.#http.post('/api/takes/record/browser', { address });
  /** Uploads a HAR file; told of its progress, and cancelled by unsubscribing. */
  importHar = (name: string, file: Blob): Observable<HttpEvent<ImportedTake>> =>
    this.#http.post<ImportedTake>(`${inProject}/takes/import`, file, {
      params: new HttpParams().set('name', name),
      headers: { 'Content-Type': 'application/octet-stream' },
      observe: 'events',
      reportProgress: true,
    });
  pasteCurl = (name: string, text: string) => this.#http.post<ImportedTake>(`${inProject}/takes/paste`, { name, text });
  survey = (takeId: string) => this.#http.get<Survey>(`/api/takes/${takeId}/survey`);
  searchTake = (takeId: string, text: string) =>
    this.#http.get<{ hits: SearchHit[]; more: boolean }>(`/api/takes/${takeId}/search`, { params: { text } });
  beside = (takeId: string, otherId: string) => this.#http.get<BesideRow[]>(`/api/takes/${takeId}/beside/${otherId}`);
  curl = (takeId: string, n: number, secrets: 'masked' | 'shown') =>
    this.#http.get<{ text: string }>(`/api/takes/${takeId}/exchanges/${n}/curl`, { params: { secrets } });
  makeScript = (takeId: string, options: ScriptOptions) => this.#http.post<Script>(`/api/takes/${takeId}/script`, options);
  secretsIn = (takeId: string, exchange: readonly number[], body: readonly string[]): Observable<string[]> =>
    this.#http.get<string[]>(`/api/takes/${takeId}/secrets`, { params: { exchange, body } });

  body = (hash: string): Observable<string> => this.#http.get(`/api/bodies/${hash}`, { responseType: 'text' });

  scripts = () => this.#http.get<Script[]>(`${inProject}/scripts`);
  script = (id: string) => this.#http.get<Script>(`/api/scripts/${id}`);
  saveScript = (script: Script) => this.#http.put<{ script: Script; changedToo: string[] }>(`/api/scripts/${script.id}`, script);
  scriptVersions = (id: string) => this.#http.get<Version[]>(`/api/scripts/${id}/versions`);
  scriptTextAt = (id: string, version: number) => this.#http.get<{ text: string }>(`/api/scripts/${id}/versions/${version}/text`);
  restoreScript = (id: string, version: number) =>
    this.#http.post<{ script: Script; changedToo: string[] }>(`/api/scripts/${id}/versions/${version}/restore`, {});
  parts = () => this.#http.get<ListedPart[]>(`${inProject}/parts`);
  makePart = (id: string, transaction: string) => this.#http.post<Script>(`/api/scripts/${id}/parts`, { transaction });
  usePart = (id: string, part: string, after: string | null) =>
    this.#http.post<{ script: Script; missing: string[] }>(`/api/scripts/${id}/use-part`, { part, after });
  insertFromTake = (id: string, piece: { takeId: string; from: number; to: number; after: string; instead: string[] }) =>
    this.#http.post<{ script: Script; added: string[]; missing: string[] }>(`/api/scripts/${id}/insert-from-take`, piece);
  scriptText = (script: Script) => this.#http.post<{ text: string }>(`/api/scripts/${script.id}/text`, script);
  saveScriptText = (id: string, text: string) =>
    this.#http.put<{ script: Script; problems: TextProblem[] }>(`/api/scripts/${id}/text`, { text });
  deleteScript = (id: string) => this.#http.delete(`/api/scripts/${id}`);
  correlate = (id: string, secondTakeId: string | null) =>
    this.#http.post<{ script: Script; report: CorrelationReport }>(`/api/scripts/${id}/correlate`, { secondTakeId });
  checkSuggestions = (id: string) => this.#http.get<CheckSuggestion[]>(`/api/scripts/${id}/check-suggestions`);
  tryCheck = (id: string, step: string, check: Check) =>
    this.#http.post<{ tried: TriedCheck[]; problem: string | null }>(`/api/scripts/${id}/try-check`, { step, check });
  tryCode = (id: string, code: Pick<CodeStep, 'source' | 'timeMs' | 'memoryMb'> & { after: string | null }) =>
    this.#http.post<TriedCode[]>(`/api/scripts/${id}/try-code`, code);
  handOff = (id: string, at: { step: string; place: string; value: string }) =>
    this.#http.post<{ script: Script; handoff: string }>(`/api/scripts/${id}/hand-off`, at);
  proposals = (id: string, handoff: string) => this.#http.get<Proposal[]>(`/api/scripts/${id}/handoffs/${handoff}/proposals`);
  tryExtractor = (id: string, handoff: string, extractor: Extractor, everywhere: boolean) =>
    this.#http.post<Trial>(`/api/scripts/${id}/handoffs/${handoff}/try`, { extractor, everywhere });
  damaged = () => this.#http.get<Damaged[]>('/api/damaged');
  deleteDamaged = ({ kind, id }: Damaged) => this.#http.delete(`/api/damaged/${kind}`, { params: { id } });
  sources = (id: string, at: SourcePlace) => this.#http.get<FoundSources>(`/api/scripts/${id}/sources`, { params: { ...at } });
  trySource = (id: string, at: SourcePlace, candidate: string) =>
    this.#http.post<Rehearsal>(`/api/scripts/${id}/sources/try`, { ...at, candidate });
  useSource = (id: string, at: SourcePlace, candidate: string) =>
    this.#http.post<{ script: Script }>(`/api/scripts/${id}/sources/use`, { ...at, candidate });
  cancelCorrelation = (id: string) => this.#http.post<{ cancelled: boolean }>(`/api/scripts/${id}/correlate/cancel`, {});
  rehearse = (id: string, wish: RehearsalWish | null) => this.#http.post<Rehearsal>(`/api/scripts/${id}/rehearse`, wish ?? {});
  commandRehearsal = (id: string, command: RehearsalCommand) =>
    this.#http.post<Rehearsal>(`/api/scripts/${id}/rehearse/command`, { command });
  mend = (id: string, rehearsal: string) =>
    this.#http.post<{ script: Script; report: CorrelationReport }>(`/api/scripts/${id}/rehearsals/${rehearsal}/mend`, {});
  stepDifference = (id: string, rehearsal: string, step: string, beside: string) =>
    this.#http.get<StepDifference>(`/api/scripts/${id}/rehearsals/${rehearsal}/steps/${step}/difference`, { params: { beside } });
  repair = (id: string) => this.#http.post<RoundsDone>(`/api/scripts/${id}/repair`, {});
  rehearsals = (id: string) => this.#http.get<Rehearsal[]>(`/api/scripts/${id}/rehearsals`);

  patternsFile = `${inProject}/patterns.yaml`;
  patterns = () => this.#http.get<ListedPattern[]>(`${inProject}/patterns`);
  savePattern = (pattern: HandoffPattern) => this.#http.put<ListedPattern[]>(`${inProject}/patterns/${pattern.id}`, pattern);
  deletePattern = (id: string) => this.#http.delete<ListedPattern[]>(`${inProject}/patterns/${id}`);
  importPatterns = (text: string) =>
    this.#http.post<{ list: ListedPattern[]; count: number }>(`${inProject}/patterns/import-file`, { text });
  previewPattern = (takeId: string, pattern: HandoffPattern) =>
    this.#http.post<PatternFind[]>(`/api/takes/${takeId}/pattern-preview`, pattern);

  tables = () => this.#http.get<DataTable[]>(`${inProject}/tables`);
  viewTable = (id: string, wish: TableWish, from: number, count: number, counts: boolean) =>
    this.#http.post<TableView>(`/api/tables/${id}/view`, { wish, from, count, counts });
  changeTable = (id: string, change: TableChange) => this.#http.post<DataTable>(`/api/tables/${id}/changes`, change);
  tableVersions = (id: string) => this.#http.get<TableVersion[]>(`/api/tables/${id}/versions`);
  goToTableVersion = (id: string, version: number) => this.#http.put<DataTable>(`/api/tables/${id}/version`, { version });
  duplicates = (id: string) => this.#http.get<Duplicates[]>(`/api/tables/${id}/duplicates`);
  renameTable = (id: string, name: string) => this.#http.put<DataTable>(`/api/tables/${id}/name`, { name });
  /** Uploads a file; told of its progress, and cancelled by unsubscribing. */
  importTable = (name: string, file: Blob, ragged: 'skip' | 'fix' | 'stop'): Observable<HttpEvent<ImportedTable>> =>
    this.#http.post<ImportedTable>(`${inProject}/tables/import`, file, {
      params: new HttpParams().set('name', name).set('ragged', ragged),
      headers: { 'Content-Type': 'application/octet-stream' },
      observe: 'events',
      reportProgress: true,
    });
  tryQuery = (query: { address: string; sql: string }) =>
    this.#http.post<{ columns: string[]; rows: string[][] }>(`${inProject}/tables/try-query`, query);
  queryTable = (query: { name: string; address: string; sql: string }) =>
    this.#http.post<ImportedTable>(`${inProject}/tables/query`, query);
  generate = (wanted: { name: string; columns: GeneratedColumn[]; count: number; seed: string }) =>
    this.#http.post<DataTable>(`${inProject}/tables/generate`, wanted);
  release = (id: string, rows: number[] | null) => this.#http.post<{ released: number }>(`/api/tables/${id}/release`, { rows });
  setDeal = (id: string, deal: Deal) => this.#http.put<DataTable>(`/api/tables/${id}/deal`, deal);
  deleteTable = (id: string) => this.#http.delete(`/api/tables/${id}`);

  workloads = () => this.#http.get<Workload[]>(`${inProject}/workloads`);
  makeWorkload = (workload: Omit<Workload, 'id' | 'projectId'>) => this.#http.post<Workload>(`${inProject}/workloads`, workload);
  saveWorkload = (workload: Workload) => this.#http.put<Workload>(`/api/workloads/${workload.id}`, workload);
  workloadText = (id: string) => this.#http.get<{ text: string }>(`/api/workloads/${id}/text`);
  workloadVersions = (id: string) => this.#http.get<Version[]>(`/api/workloads/${id}/versions`);
  workloadTextAt = (id: string, number: number) => this.#http.get<{ text: string }>(`/api/workloads/${id}/versions/${number}/text`);
  restoreWorkload = (id: string, number: number) => this.#http.post<Workload>(`/api/workloads/${id}/versions/${number}/restore`, {});
  deleteWorkload = (id: string) => this.#http.delete(`/api/workloads/${id}`);
  forecast = (workload: Workload) => this.#http.post<Forecast>(`/api/workloads/${workload.id}/forecast`, workload);
  dryDeal = (workload: Workload) => this.#http.post<DryIteration[]>(`/api/workloads/${workload.id}/dry-deal`, workload);
  runTable = (id: string, by: RunTableBy) => this.#http.get<RunTable>(`/api/runs/${id}/table/${by}`);
  samples = (id: string, query: Record<string, string | number>) =>
    this.#http.get<(SamplePage & SamplesKept) | null>(`/api/runs/${id}/samples`, { params: query });
  sampledUsers = (id: string, query: Record<string, string | number>) =>
    this.#http.get<UserFigures[]>(`/api/runs/${id}/users`, { params: query });
  rowsUsed = (id: string) => this.#http.get<{ table: string; rows: number }[]>(`/api/runs/${id}/rows-used`);
  runHosts = (id: string) => this.#http.get<HostSeries[]>(`/api/runs/${id}/hosts`);
  hostsNow = () => this.#http.get<HostNow[]>(`${inProject}/hosts/now`);
  askHost = (url: string) => this.#http.post<{ offered: ShownFigure[] }>(`${inProject}/hosts/ask`, { url });
  startRun = (workloadId: string) => this.#http.post<Run>(`/api/workloads/${workloadId}/run`, {});

  compareCrews = (runId: string) => this.#http.get<RunComparison>(`/api/runs/${runId}/crews-compared`);
  catalogue = (runId: string) => this.#http.get<Catalogue>(`/api/runs/${runId}/catalogue`);
  series = (runId: string, keys: readonly SeriesKey[]) => this.#http.post<SeriesPoints[]>(`/api/runs/${runId}/series`, { keys });
  savedViews = () => this.#http.get<{ views: SavedView[]; questions: SavedQuestion[] }>(`${inProject}/views`);
  saveViews = (kept: { views: readonly SavedView[]; questions: readonly SavedQuestion[] }) =>
    this.#http.put<{ views: SavedView[]; questions: SavedQuestion[] }>(`${inProject}/views`, kept);
  askQuestion = (question: Question) => this.#http.post<QuestionAnswer>(`${inProject}/questions/ask`, question);
  schedules = () => this.#http.get<ScheduleView>(`${inProject}/schedules`);
  addSchedule = (schedule: GivenSchedule) => this.#http.post<ScheduleView>(`${inProject}/schedules`, schedule);
  changeSchedule = (id: string, schedule: GivenSchedule) => this.#http.put<ScheduleView>(`${inProject}/schedules/${id}`, schedule);
  deleteSchedule = (id: string) => this.#http.delete<ScheduleView>(`${inProject}/schedules/${id}`);
  changeStart = (id: string, planned: string, to: string) =>
    this.#http.post<ScheduleView>(`${inProject}/schedules/${id}/change`, { planned, to });
  /** Plays rehearsals, so it takes a while. */
  lookAtReadiness = (id: string) => this.#http.post<ScheduledStart>(`${inProject}/schedules/${id}/readiness`, {});
  saveBlackouts = (blackouts: readonly Blackout[]) => this.#http.put<ScheduleView>(`${inProject}/blackouts`, { blackouts });
  noticeSettings = () => this.#http.get<NoticeSettings>(`${inProject}/notice-settings`);
  saveNoticeSettings = (settings: NoticeSettings) => this.#http.put<NoticeSettings>(`${inProject}/notice-settings`, settings);
  tryNotice = (group: string) => this.#http.post<ListedNotice[]>(`${inProject}/notice-settings/groups/${group}/trial`, {});
  notices = () => this.#http.get<ListedNotice[]>(`${inProject}/notices`);
  brief = () => this.#http.get<BriefView>(`${inProject}/brief`);
  saveBrief = (brief: Brief) => this.#http.put<BriefView>(`${inProject}/brief`, brief);
  signBrief = (by: string, role: string) => this.#http.post<BriefView>(`${inProject}/brief/signatures`, { by, role });
  unsignBrief = (by: string) => this.#http.delete<BriefView>(`${inProject}/brief/signatures`, { params: { by } });
  workloadOfBrief = () => this.#http.post<Workload>(`${inProject}/brief/workload`, {});
  report = (runId: string, template: ReportTemplate, against: readonly string[]) =>
    this.#http.post<ReportDocument>(`/api/runs/${runId}/report`, { template, against });
  makeSecondTake = (takeId: string, inWindow: boolean) => this.#http.post<MadeSecondTake>(`/api/takes/${takeId}/second`, { inWindow });
  answerSecondTake = (takeId: string, goesOn: boolean) => this.#http.post<object>(`/api/takes/${takeId}/second/answer`, { goesOn });
  cancelSecondTake = (takeId: string) => this.#http.post<object>(`/api/takes/${takeId}/second/cancel`, {});
  /** How far a second take is that is being made of a take. */
  playingProgress = (takeId: string) => liveStream(`/api/takes/${takeId}/live`, ['playing']).pipe(map(({ data }) => data));
  /** How far the report of a run is that is being made. */
  reportProgress = (runId: string) => liveStream(`/api/runs/${runId}/live`, ['reporting']).pipe(map(({ data }) => data));
  issueReport = (runId: string, template: ReportTemplate, against: readonly string[]) =>
    this.#http.post<ListedReport>(`/api/runs/${runId}/reports`, { template, against });
  reports = () => this.#http.get<ListedReport[]>(`${inProject}/reports`);
  deleteReport = (id: string) => this.#http.delete<object>(`/api/reports/${id}`);
  findings = (runId: string) => this.#http.get<Finding[]>(`/api/runs/${runId}/findings`);
  baseline = (runId: string) => this.#http.get<Baseline | null>(`/api/runs/${runId}/baseline`);
  markRun = (runId: string, marks: { baseline: boolean; release: string }) => this.#http.put<Run>(`/api/runs/${runId}/marks`, marks);
  compareRuns = (ids: readonly string[]) => this.#http.get<RunComparison>(`${inProject}/compare`, { params: { runs: ids.join(',') } });
  trend = (workloadId: string) => this.#http.get<Trend>(`/api/workloads/${workloadId}/trend`);
  runs = () => this.#http.get<Run[]>(`${inProject}/runs`);
  run = (id: string) => this.#http.get<RunResult>(`/api/runs/${id}`);
  lanes = (id: string) => this.#http.get<LanePoint[]>(`/api/runs/${id}/lanes`);
  pauseRun = (id: string) => this.#http.post(`/api/runs/${id}/pause`, {});
  watchUser = (id: string, user: number, captures: boolean) => this.#http.post(`/api/runs/${id}/watch`, { user, captures });
  usersNow = (id: string) => this.#http.get<UserState[]>(`/api/runs/${id}/users-now`);
  captured = (id: string) => this.#http.get<UserLogEntry[]>(`/api/runs/${id}/captured`);
  nextPhase = (id: string) => this.#http.post(`/api/runs/${id}/next-phase`, {});
  resumeRun = (id: string) => this.#http.post(`/api/runs/${id}/resume`, {});
  changeUsers = (id: string, crew: string, users: number) => this.#http.post(`/api/runs/${id}/users`, { crew, users });
  noteRun = (id: string, text: string) => this.#http.post(`/api/runs/${id}/notes`, { text });
  finishRun = (id: string) => this.#http.post(`/api/runs/${id}/finish`, {});
  abortRun = (id: string) => this.#http.post(`/api/runs/${id}/abort`, {});
}

/** The server's sentence about a failed call: its problem details, or what can be said without an answer. */
export function problemOf(error: unknown): string {
  if (!(error instanceof HttpErrorResponse)) return error instanceof Error ? error.message : String(error);
  const body: unknown = typeof error.error === 'string' ? tryJson(error.error) : error.error;
  const detail = (body as { detail?: string } | null)?.detail;
  if (detail) return detail;
  return error.status === 0
    ? 'The server does not answer. See whether it still runs, then try again.'
    : `The server answered ${error.status}.`;
}

function tryJson(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return null;
  }
}
