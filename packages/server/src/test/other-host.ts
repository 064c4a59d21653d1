import { execFileSync, spawn, type ChildProcess } from 'node:child_process';

/**
 * A host beyond this machine without a network: a network namespace of the test's own, joined to this machine by a cable of its own (veth), on private
 * addresses that nothing else has. It answers on `origin` and, under a second address of its own, on `neighbour`.
 */
export class OtherHost {
  readonly #namespace: string;
  #program: ChildProcess | null = null;
  #said = '';

  private constructor(
    /** The first three parts of its addresses. */
    readonly network: string,
    readonly port: number,
    namespace: string,
  ) {
    this.#namespace = namespace;
  }

  /** Makes the host; a sentence that says why that is not possible here. `number` tells hosts of tests that run at the same time apart. */
  static make(number: number): OtherHost | string {
    const namespace = `sturdy-${process.pid}-${number}`;
    const link = `st${process.pid}x${number}`.slice(0, 13);
    const network = `10.${231 + number}.${process.pid % 250}`;
    try {
      ip('netns', 'add', namespace);
      ip('link', 'add', link, 'type', 'veth', 'peer', 'name', 'inside', 'netns', namespace);
      ip('addr', 'add', `${network}.1/29`, 'dev', link);
      ip('link', 'set', link, 'up');
      for (const last of [2, 3]) ip('-n', namespace, 'addr', 'add', `${network}.${last}/29`, 'dev', 'inside');
      ip('-n', namespace, 'link', 'set', 'inside', 'up');
      return new OtherHost(network, 8080, namespace);
    } catch (error) {
      return error instanceof Error ? error.message : String(error);
    }
  }

  get origin(): string {
    return `http://${this.network}.2:${this.port}`;
  }

  get neighbour(): string {
    return `http://${this.network}.3:${this.port}`;
  }

  /** Starts what answers there: it notes each request (moment, host, path), leads /away to the neighbour, and gives figures at /metrics. */
  async start(): Promise<void> {
    const application = `
let served = 0;
require('node:http').createServer((request, response) => {
  console.log(Date.now() + ' ' + request.headers.host + ' ' + request.url);
  served++;
  if (request.url === '/away') response.writeHead(302, { Location: '${this.neighbour}/' }).end();
  else if (request.url === '/metrics') response.writeHead(200).end('# TYPE served counter\\nserved_total ' + served + '\\n# EOF\\n');
  else response.writeHead(200, { 'Content-Type': 'text/plain' }).end('ok');
}).listen(${this.port}, () => console.log('ready'));`;
    this.#program = spawn('ip', ['netns', 'exec', this.#namespace, process.execPath, '-e', application]);
    this.#program.stdout?.on('data', (piece: Buffer) => (this.#said += piece.toString()));
    while (!this.#said.includes('ready')) await new Promise((go) => setTimeout(go, 20));
  }

  /** What it was asked since the last `forget`. */
  get requests(): { ms: number; to: string; path: string }[] {
    return this.#said
      .split('\n')
      .filter((line) => /^\d/.test(line))
      .map((line) => line.split(' '))
      .map(([ms = '', to = '', path = '']) => ({ ms: Number(ms), to, path }));
  }

  forget(): void {
    this.#said = '';
  }

  async end(): Promise<void> {
    const program = this.#program;
    if (program) {
      const gone = new Promise((done) => program.once('exit', done));
      program.kill('SIGKILL');
      await gone;
    }
    // The other end of the cable goes with the namespace.
    ip('netns', 'del', this.#namespace);
  }
}

const ip = (...args: string[]): void => {
  execFileSync('ip', args, { stdio: 'pipe' });
};
