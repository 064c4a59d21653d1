import { readScript } from '../formats/index.js';
import { checkFile } from './check-file.js';
import { fileSchemas, jsonSchemaOf, schemaLine, type FileKind } from './file-schemas.js';

const now = Date.parse('2026-06-15T12:00:00Z');
const check = (text: string, there: string[] = []) => checkFile(text, (name) => there.includes(name), now);
/** What is wrong, as `line:column message`. */
const wrong = (text: string, there: string[] = []) =>
  check(text, there).problems.map(({ line, column, message }) => `${line}:${column} ${message}`);

describe('a file that somebody wrote', () => {
  it('is known by its members, and what is right is told as such', () => {
    expect(check('crews:\n  - { script: book.yaml }\n', ['book.yaml'])).toEqual({ kind: 'workload', problems: [] });
    expect(check('targets: [http://127.0.0.1:1]\n')).toEqual({ kind: 'environment', problems: [] });
    expect(check('networks: [10.20.0.0/16]\n')).toEqual({ kind: 'policy', problems: [] });
    expect(check('patterns: 1\nlist: []\n')).toEqual({ kind: 'patterns', problems: [] });
    expect(check('part: 1\nname: Sign in\nsteps: []\n')).toEqual({ kind: 'part', problems: [] });
    expect(check('name: lots\ncolumns: [{ name: lot }]\n')).toEqual({ kind: 'table', problems: [] });
    const script =
      'script: 1\nname: Look\ntransactions:\n  - transaction: Look\n    steps:\n      - request: GET /\n        origin: http://127.0.0.1:1\n        url: /\n';
    expect(check(script)).toEqual({ kind: 'script', problems: [] });
  });

  it('has every fault told with line and column', () => {
    expect(wrong('crews:\n  - script: book.yaml\n    users: none\ngenerators: 99\nspeed: 3\n', ['book.yaml'])).toEqual([
      expect.stringMatching(/^3:5 crews\.0\.users: /),
      expect.stringMatching(/^4:1 generators: /),
      '5:1 speed: Nothing is called “speed” here.',
    ]);
    expect(wrong('crews: [\n')).toEqual([expect.stringMatching(/^\d+:\d+ This is no YAML/)]);
  });

  it('is told of each file that it names and that is not there', () => {
    const text =
      'environment: env.yaml\ncrews:\n  - { script: book.yaml }\n  - { script: look.yaml }\ndata:\n  - { table: t, file: rows.csv }\n';
    expect(wrong(text, ['book.yaml'])).toEqual([
      '4:7 crews.1.script: The file look.yaml does not exist. Name files as they lie beside this one.',
      '6:17 data.0.file: The file rows.csv does not exist. Name files as they lie beside this one.',
      '1:1 environment: The file env.yaml does not exist. Name files as they lie beside this one.',
    ]);
  });

  it('says which kind of thing was meant where several may stand there', () => {
    const script = 'script: 1\nname: Look\ntransactions:\n  - transaction: Look\n    steps:\n      - pause: soon\n';
    expect(wrong(script)).toEqual([expect.stringMatching(/^6:9 transactions\.0\.steps\.0\.pause: .*\(in what begins with “pause”\)$/)]);
  });

  it('names targets that are not cleared, or not any more, where they stand', () => {
    const cleared = (until: string) => `  - origin: http://erp.example\n    cleared: { by: Mara, for: x, until: ${until} }\n`;
    expect(wrong(`targets:\n  - http://127.0.0.1:1\n  - http://10.1.1.1\n${cleared('2026-06-01')}`)).toEqual([
      expect.stringMatching(/^3:5 targets\.1: http:\/\/10\.1\.1\.1 is not on this machine and is not cleared\./),
      expect.stringMatching(/^4:5 targets\.2: The clearance of http:\/\/erp\.example by Mara ended on 2026-06-01\./),
    ]);
    expect(wrong(`targets:\n${cleared('2026-06-30')}`)).toEqual([]);
    expect(wrong('targets: [http://169.254.169.254]\n')).toEqual([expect.stringContaining('targets: Nothing is ever sent to')]);
  });

  it('that is none of what is known says so', () => {
    expect(check('hello: 1\n')).toEqual({
      kind: null,
      problems: [expect.objectContaining({ line: 1, message: expect.stringContaining('Nobody can tell') as string })],
    });
    expect(check('- 1\n').kind).toBeNull();
  });
});

describe('steps without an id', () => {
  const request = (name: string, id = '') => `      - request: ${name}\n${id}        origin: http://127.0.0.1:1\n        url: /\n`;
  const idsOf = (...steps: string[]) => {
    const text = `script: 1\nname: Look\ntransactions:\n  - transaction: Look\n    steps:\n${steps.join('')}`;
    const read = readScript(text, { id: 'f', projectId: 'p', takeId: '', secondTakeId: null });
    return 'problems' in read ? read.problems : read.script.transactions[0]?.steps.map(({ id }) => id);
  };

  it('get one after what they are, which stays when others are put in', () => {
    expect(idsOf(request('GET /desk'), request('POST /desk'))).toEqual(['s-get-desk', 's-post-desk']);
    expect(idsOf(request('GET /'), '      - pause: 200\n', request('GET /desk'), request('POST /desk'))).toEqual([
      's-get',
      'p-200',
      's-get-desk',
      's-post-desk',
    ]);
  });

  it('get one that no other has, whether it is written before or behind', () => {
    const written = request('POST /x', '        id: s-get-desk\n');
    expect(idsOf(request('GET /desk'), request('GET /desk'), written)).toEqual(['s-get-desk-2', 's-get-desk-3', 's-get-desk']);
  });
});

describe('the schemas of files', () => {
  it('are JSON Schemas that editors find by the first line of a file', () => {
    for (const kind of Object.keys(fileSchemas) as FileKind[])
      expect(jsonSchemaOf(kind)).toMatchObject({ $schema: 'https://json-schema.org/draft/2020-12/schema' });
    expect(schemaLine('workload')).toBe('# yaml-language-server: $schema=schemas/workload.schema.json\n');
    expect(check(`${schemaLine('environment')}targets: [http://127.0.0.1:1]\n`).problems).toEqual([]);
  });
});
