import { Command, CommanderError } from 'commander';
import { addCorrelate } from './commands/correlate.js';
import { addRehearse } from './commands/rehearse.js';
import { addRun } from './commands/run.js';
import { addSchema } from './commands/schema.js';
import { addServe } from './commands/serve.js';

/** It could not be run: bad arguments, unreadable files, targets that may not be hit. */
const couldNotRun = 2;

const program = new Command('sturdy')
  .description('Sturdy Puppet: record, correlate, rehearse and run performance tests.')
  .showHelpAfterError('(--help says what can be given)')
  .exitOverride();
for (const add of [addServe, addCorrelate, addRehearse, addRun, addSchema]) add(program);
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
