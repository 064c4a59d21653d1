import type { AboutServer } from '../about/about-server.js';
import type { Backups } from '../backup/backups.js';
import type { LongWork } from '../compute/long-work.js';
import type { Compute } from '../compute/tasks.js';
import type { Conductor } from '../conductor/conductor.js';
import type { Environments } from '../environments/environments.js';
import type { PreparedRuns } from '../explore/prepared-runs.js';
import type { Questions } from '../explore/questions.js';
import type { LiveHub } from '../live/live-hub.js';
import type { ServerLog } from '../log/server-log.js';
import type { FileStates } from '../project-files/file-states.js';
import type { ProjectFiles } from '../project-files/project-files.js';
import type { Projects } from '../projects/projects.js';
import type { Recorder } from '../record/recorder.js';
import type { SecondTakeMaker } from '../record/second-take-maker.js';
import type { Notices } from '../notice/notices.js';
import type { RehearsalRoom } from '../rehearse/rehearsal-room.js';
import type { SampleFiles } from '../samples/sample-files.js';
import type { Clock } from '../clock/clock.js';
import type { Scheduler } from '../schedule/scheduler.js';
import type { ProjectSecrets } from '../secrets/project-secrets.js';
import type { Store } from '../store/store-client.js';

/** What the routes work with. */
export interface Services {
  store: Store;
  projects: Projects;
  projectFiles: ProjectFiles;
  fileStates: FileStates;
  environments: Environments;
  compute: Compute;
  longWork: LongWork;
  live: LiveHub;
  recorder: Recorder;
  secondTakes: SecondTakeMaker;
  rehearsalRoom: RehearsalRoom;
  conductor: Conductor;
  clock: Clock;
  scheduler: Scheduler;
  preparedRuns: PreparedRuns;
  questions: Questions;
  notices: Notices;
  about: AboutServer;
  backups: Backups;
  log: ServerLog;
  secrets: ProjectSecrets;
  samples: Pick<SampleFiles, 'path' | 'captured'>;
}
