import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { validate } from 'dockerfile-utils';
import { parse } from 'yaml';

const root = join(__dirname, '../../..');
const textOf = (file: string): string => readFileSync(join(root, file), 'utf8');
const containerfile = textOf('Containerfile');
const compose = parse(textOf('compose.yaml')) as {
  services: Record<string, { image?: string; ports?: string[]; environment: Record<string, string>; volumes: { target: string }[] }>;
};
const ask = (program: string, args: string[], environment: NodeJS.ProcessEnv = {}) =>
  spawnSync(program, args, { cwd: root, encoding: 'utf8', env: { ...process.env, ...environment }, timeout: 600_000 });

describe('the files for containers', () => {
  it('satisfy a linter', () => {
    expect(validate(containerfile)).toEqual([]);
    const { status, stdout, stderr } = ask('npx', ['--no-install', 'dclint', '--max-warnings', '0', 'compose.yaml']);
    expect([status, stdout.trim(), stderr.includes('error')]).toEqual([0, '', false]);
  });

  it('say what the command line knows: its variables, its ports, its Node.js', () => {
    const help = ask(process.execPath, [join(root, 'packages/cli/bin/sturdy.mjs'), 'serve', '--help']).stdout.replace(/\s+/g, ' ');
    const product = compose.services['product'];
    const set = [...containerfile.matchAll(/\b((?:STURDY|DATABASE)_[A-Z_]+)=/g)].map(([, name]) => name ?? '');
    const variables = [...set, ...Object.keys(product?.environment ?? {})];
    expect(variables).toEqual(['STURDY_LISTEN', 'STURDY_DATA', 'DATABASE_URL', 'STURDY_HOST_NAMES', 'STURDY_LOG_LEVEL']);
    for (const name of variables) expect(help).toContain(`env: ${name}`);
    const ports = [...help.matchAll(/port of the .*? \(default: (\d+),/g)].map(([, port]) => port ?? '');
    expect(ports).toEqual(['4300', '4310']);
    expect(/^EXPOSE (.*)$/m.exec(containerfile)?.[1]).toBe(ports.join(' '));
    // Published on this machine only: the product asks nobody who they are.
    expect(product?.ports).toEqual(ports.map((port) => `127.0.0.1:${port}:${port}`));
    expect(product?.volumes.map(({ target }) => target)).toEqual([/^VOLUME (.*)$/m.exec(containerfile)?.[1]]);
    const { engines } = JSON.parse(textOf('package.json')) as { engines: { node: string } };
    const least = engines.node.replace('>=', '').split('.').map(Number);
    for (const [, version = ''] of containerfile.matchAll(/^FROM \S+\/node:([\d.]+)-bookworm-slim/gm)) {
      const [major = 0, minor = 0] = version.split('.').map(Number);
      expect(major * 100 + minor).toBeGreaterThanOrEqual((least[0] ?? 0) * 100 + (least[1] ?? 0));
    }
    // pg_dump reads servers of its own version or older, and that of Debian 12 is 15.
    expect(compose.services['database']?.image).toMatch(/\/postgres:15\.\d+-bookworm$/);
  });

  const hasEngine = ask('docker', ['version', '--format', '{{.Server.Version}}']).status === 0;
  if (!hasEngine) process.stderr.write('No container engine answers here: the containers are linted, and not started.\n');
  (hasEngine ? it : it.skip)(
    'start where there is an engine',
    () => {
      const variables = { STURDY_DATABASE_PASSWORD: 'forTheTest7781' };
      try {
        expect(ask('docker', ['compose', 'up', '--detach', '--wait', '--build'], variables).status).toBe(0);
        expect(ask('docker', ['compose', 'exec', 'product', 'sturdy', 'project', '--help'], variables).status).toBe(0);
      } finally {
        ask('docker', ['compose', 'down', '--volumes'], variables);
      }
    },
    1_200_000,
  );
});
