// Starts the product and its stand-ins as processes of their own, and stops them.
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { root } from './setup.mjs';

/** Starts a Node.js program and resolves once it prints what `ready` matches. Rejects with its output where it ends first. */
export function startProgram(file, args, ready, environment = {}) {
  const program = spawn(process.execPath, [join(root, file), ...args], {
    cwd: root,
    stdio: ['ignore', 'pipe', 'pipe'],
    env: { ...process.env, ...environment },
  });
  let said = '';
  return new Promise((done, failed) => {
    const read = (chunk) => {
      said += chunk;
      if (ready.test(said)) done(program);
    };
    program.stdout.on('data', read);
    program.stderr.on('data', read);
    program.on('exit', (code) => failed(new Error(said.trim() || `${file} ended with ${code}.`)));
  });
}

export const startYardProgram = (port, settings = {}) =>
  startProgram(
    'packages/standins/dist/yard/main.js',
    ['--port', String(port), ...Object.entries(settings).flatMap(([name, value]) => [`--${name}`, String(value)])],
    /"ready"/,
  );

export const startPostProgram = (smtpPort, webPort) =>
  startProgram('packages/standins/dist/post/main.js', ['--smtp-port', String(smtpPort), '--web-port', String(webPort)], /"ready"/);

export const startProduct = ({ port, proxyPort, data, targets, project = 'Tidewell release 4.2' }) =>
  startProgram(
    'packages/cli/bin/sturdy.mjs',
    [
      'serve',
      '--port',
      String(port),
      '--proxy-port',
      String(proxyPort),
      '--data',
      data,
      '--project',
      project,
      ...targets.flatMap((one) => ['--target', one]),
    ],
    /is ready/,
  );
