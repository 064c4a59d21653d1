import type { Command } from 'commander';
import { addServerOptions, type ServerPlaceOptions } from './serve.js';

const somethingMissing = 1;

/** Says whether this machine has what a server needs. */
export function addDoctor(program: Command): void {
  addServerOptions(
    program.command('doctor').description('say whether this machine has what the product needs, and how to get what is missing'),
  )
    .addHelpText(
      'after',
      '\nExit status: 0 everything that is needed is there, 1 something is missing.\nExample: sturdy doctor --port 8080 --data /srv/sturdy',
    )
    .action(async ({ port, proxyPort, listen, data, database }: ServerPlaceOptions) => {
      const { findingsOf, readMachineState } = await import('@sturdy/server/doctor');
      const findings = findingsOf(
        await readMachineState({
          ports: [
            { what: 'Port', option: '--port', port },
            { what: 'Proxy port', option: '--proxy-port', port: proxyPort },
          ],
          listen,
          data,
          databaseUrl: database ?? null,
        }),
      );
      const width = Math.max(...findings.map(({ what }) => what.length));
      for (const { what, state, text } of findings) process.stdout.write(`${state.padEnd(8)} ${what.padEnd(width)}  ${text}\n`);
      const missing = findings.filter(({ state }) => state === 'missing').length;
      process.stdout.write(missing === 0 ? '\nNothing that is needed is missing.\n' : `\nMissing: ${missing} of ${findings.length}.\n`);
      if (missing > 0) process.exitCode = somethingMissing;
    });
}
