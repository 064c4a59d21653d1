import { Command, CommanderError } from 'commander';

// Whoever reads what is written may have read enough, such as `head`.
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code === 'EPIPE') process.exit();
  throw error;
});

/** It could not be run: bad arguments, unreadable files, targets that may not be hit. */
const couldNotRun = 2;

const program = new Command('sturdy')
  .description('Sturdy Puppet: record, correlate, rehearse and run performance tests.')
  .showHelpAfterError('(--help says what can be given)')
  .exitOverride();
/** Each command is loaded only where it is asked for: it starts sooner without what the others need. */
const commands = new Map<string | undefined, () => Promise<(program: Command) => void>>([
  ['serve', async () => (await import('./commands/serve.js')).addServe],
  ['correlate', async () => (await import('./commands/correlate.js')).addCorrelate],
  ['rehearse', async () => (await import('./commands/rehearse.js')).addRehearse],
  ['run', async () => (await import('./commands/run.js')).addRun],
  ['report', async () => (await import('./commands/report.js')).addReport],
  ['project', async () => (await import('./commands/project.js')).addProject],
  ['backup', async () => (await import('./commands/backup.js')).addBackup],
  ['restore', async () => (await import('./commands/backup.js')).addRestore],
  ['doctor', async () => (await import('./commands/doctor.js')).addDoctor],
  ['check', async () => (await import('./commands/check.js')).addCheck],
  ['schema', async () => (await import('./commands/schema.js')).addSchema],
]);
const asked = commands.get(process.argv[2]);
for (const load of asked ? [asked] : commands.values()) (await load())(program);
for (const command of program.commands) command.exitOverride();

try {
  await program.parseAsync();
} catch (error) {
  // Help and versions end like this too, with 0; commander has said by itself what is wrong with the arguments.
  if (error instanceof CommanderError) process.exitCode = error.exitCode === 0 ? 0 : couldNotRun;
  else {
    process.stderr.write(`${error instanceof Error ? error.message : String(error)}\n`);
    process.exitCode = couldNotRun;
  }
  process.exit();
}
