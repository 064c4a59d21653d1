import { environmentFault } from '@sturdy/core';
import type { StorePlace } from '@sturdy/server';
import { InvalidArgumentError, Option, type Command } from 'commander';
import { addPolicyOptions, policiesOf, type PolicyOptions } from '../policies.js';
import { UsageError } from '../usage-error.js';

/** Where a server is to be. */
export interface ServerPlaceOptions {
  port: number;
  proxyPort: number;
  listen: string;
  data: string;
  database?: string;
}

interface Options extends PolicyOptions, ServerPlaceOptions {
  hostName: string[];
  logLevel: 'info' | 'warn' | 'error';
  project: string;
  target: string[];
}

/** A part that stands still must not keep the process alive, in ms; what it had not written yet comes back as after a crash. */
const longestStopMs = 60_000;

/** A port as it is written; 0 takes a free one. Throws where it is none. */
function port(text: string): number {
  if (!/^\d{1,5}$/.test(text) || Number(text) > 65_535)
    throw new InvalidArgumentError('A port is a number from 0 to 65535; 0 takes a free one.');
  return Number(text);
}

const words = (text: string, before: string[]): string[] => [...before, ...text.split(/[\s,]+/).filter((word) => word !== '')];

/** The folder where everything is kept, as an option of every command that needs it. */
export const dataOption = (): Option =>
  new Option('--data <folder>', 'folder where everything is kept').default('.sturdy/data').env('STURDY_DATA');
/** The database server, as an option of every command that needs it. */
export const databaseOption = (): Option =>
  new Option(
    '--database <url>',
    'PostgreSQL server that keeps everything but samples and logs, such as postgres://user@host/name; without it, a database in the data folder',
  ).env('DATABASE_URL');

/** The options that say where a server is to be. */
export const addServerOptions = (command: Command): Command =>
  command
    .addOption(new Option('--port <number>', 'port of the interface').default(4300).argParser(port).env('STURDY_PORT'))
    .addOption(new Option('--proxy-port <number>', 'port of the recording proxy').default(4310).argParser(port).env('STURDY_PROXY_PORT'))
    .addOption(
      new Option('--listen <address>', 'address on which the interface is served; whoever reaches it can use the product')
        .default('127.0.0.1')
        .env('STURDY_LISTEN'),
    )
    .addOption(dataOption())
    .addOption(databaseOption());

export function addServe(program: Command): void {
  const command = addServerOptions(program.command('serve').description('start the product on this machine'))
    .addOption(
      new Option('--host-name <name...>', 'names by which browsers may ask for it, besides those of this machine')
        .default([], 'none')
        .argParser(words)
        .env('STURDY_HOST_NAMES'),
    )
    .addOption(
      new Option('--log-level <level>', 'what is written to the log and the terminal, at least')
        .choices(['info', 'warn', 'error'])
        .default('info')
        .env('STURDY_LOG_LEVEL'),
    )
    .option('--project <name>', 'name of the first project', 'First project')
    .addOption(
      new Option('--target <origin...>', 'origins that a fresh project may hit').default([], 'none').argParser(words).env('STURDY_TARGETS'),
    )
    .addHelpText(
      'after',
      `
Options win over variables of the environment. STURDY_SECRETS_KEY gives the keys of secrets (see docs/safety.md), where they shall not lie in the data folder.
See also: sturdy doctor, which says whether this machine has what it takes; sturdy backup and sturdy restore.`,
    )
    .action(async (options: Options) => {
      const fault = environmentFault({ targets: options.target, upstreamProxy: '' });
      if (fault !== null) throw new UsageError(`--target: ${fault}`);
      const policies = policiesOf(options);
      // The other commands need no server, and start without it.
      const { startServer, dataFolders } = await import('@sturdy/server');
      const store: StorePlace = options.database ? { databaseUrl: options.database } : { directory: options.data };
      const server = await startServer({
        port: options.port,
        proxyPort: options.proxyPort,
        listen: options.listen,
        hostNames: options.hostName,
        store,
        ...dataFolders(options.data),
        logLevel: options.logLevel,
        projectName: options.project,
        targets: options.target,
        policies,
      });
      if (server.interruptedRuns > 0)
        process.stdout.write(`${server.interruptedRuns} run(s) were interrupted by the last stop; their figures up to then are kept.\n`);
      if (!server.isLoopback)
        process.stdout.write(
          `Whoever reaches ${options.listen} can use this server: it asks nobody who they are. Let only a network that you trust reach it.\n`,
        );
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
