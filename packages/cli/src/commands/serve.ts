import { join } from 'node:path';
import { environmentFault } from '@sturdy/core';
import type { StorePlace } from '@sturdy/server';
import type { Command } from 'commander';
import { addPolicyOptions, policiesOf, type PolicyOptions } from '../policies.js';
import { UsageError } from '../usage-error.js';

interface Options extends PolicyOptions {
  port: string;
  proxyPort: string;
  data: string;
  project: string;
  target: string[];
}

/** A part that stands still must not keep the process alive, in ms; what it had not written yet comes back as after a crash. */
const longestStopMs = 60_000;

export function addServe(program: Command): void {
  const command = program
    .command('serve')
    .description('start the product on this machine')
    .option('--port <number>', 'port of the interface', '4300')
    .option('--proxy-port <number>', 'port of the recording proxy', '4310')
    .option('--data <directory>', 'where everything is kept', '.sturdy/data')
    .option('--project <name>', 'name of the first project', 'First project')
    .option('--target <origin...>', 'origins that a fresh project may hit', [])
    .action(async (options: Options) => {
      const fault = environmentFault({ targets: options.target, upstreamProxy: '' });
      if (fault !== null) throw new UsageError(`--target: ${fault}`);
      const policies = policiesOf(options);
      // The other commands need no server, and start without it.
      const { startServer } = await import('@sturdy/server');
      const url = process.env['DATABASE_URL'];
      const store: StorePlace = url ? { databaseUrl: url } : { directory: options.data };
      const server = await startServer({
        port: Number(options.port),
        proxyPort: Number(options.proxyPort),
        store,
        samplesFolder: join(options.data, 'samples'),
        recorderFolder: join(options.data, 'recorder'),
        secretsFolder: join(options.data, 'secrets'),
        logFolder: join(options.data, 'log'),
        projectName: options.project,
        targets: options.target,
        policies,
      });
      if (server.interruptedRuns > 0)
        process.stdout.write(`${server.interruptedRuns} run(s) were interrupted by the last stop; their figures up to then are kept.\n`);
      process.stdout.write(`Sturdy Puppet is ready: ${server.origin}\n`);
      const stop = () => {
        setTimeout(() => {
          process.stderr.write(`Something did not end within ${longestStopMs / 1000} s; the next start closes what was open.\n`);
          process.exit(1);
        }, longestStopMs).unref();
        void server.stop().then(() => process.exit(0));
      };
      process.on('SIGTERM', stop);
      process.on('SIGINT', stop);
    });
  addPolicyOptions(command);
}
