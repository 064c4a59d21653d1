import { isAlias, isMap, isScalar, LineCounter, parseDocument, visit, type Document } from 'yaml';

/** Line and column of a place in a text, from 1. */
function placeIn(text: string, offset: number): { line: number; column: number } {
  const before = text.slice(0, offset).split('\n');
  return { line: before.length, column: (before.at(-1)?.length ?? 0) + 1 };
}

/** Something wrong in a text of YAML; line and column count from 1. */
export interface YamlProblem {
  line: number;
  column: number;
  message: string;
}

/** A text of YAML that was read: its value, and where each node stands; or what is wrong with it. */
export type YamlText =
  { value: unknown; document: Document; placeOf: (offset: number) => { line: number; column: number } } | { problems: YamlProblem[] };

/** An anchor may stand for a text as long as the file, and a file of anchors for gigabytes. */
const noAliases = 'Anchors and aliases are not taken. Write the value out.';

/** So many lists within lists, one opened right after the other; the parser would take seconds for thousands. */
const tooDeep = /(?:[[{]\s*){200}/;

/** Reads a text of YAML 1.2; linear in its length, whatever it holds. */
export function readYaml(text: string): YamlText {
  const lines = new LineCounter();
  const placeOf = (offset: number): { line: number; column: number } => {
    const { line, col } = lines.linePos(offset);
    return { line, column: col };
  };
  const deep = tooDeep.exec(text);
  if (deep)
    return {
      problems: [{ ...placeIn(text, deep.index), message: 'Here 200 lists or maps are opened within one another, which is too deep.' }],
    };
  // The parser compares each key with all before it; a set does it at once.
  const document = parseDocument(text, { lineCounter: lines, prettyErrors: false, uniqueKeys: false, resolveKnownTags: false });
  const problems: YamlProblem[] = document.errors.map((error) => ({
    ...placeOf(error.pos[0]),
    message: `This is no YAML: ${error.message}`,
  }));
  const wrong = (node: { range?: [number, number, number] | null | undefined }, message: string): void => {
    problems.push({ ...placeOf(node.range?.[0] ?? 0), message });
  };
  visit(document, {
    Alias: (_, node) => {
      wrong(node, noAliases);
    },
    Map: (_, { items }) => {
      const keys = new Set<unknown>();
      for (const { key } of items) {
        if (isMap(key) || isAlias(key) || !isScalar(key)) wrong(key ?? {}, 'The name of a member has to be a text.');
        else if (keys.has(key.value)) wrong(key, `“${String(key.value)}” stands twice here.`);
        else keys.add(key.value);
      }
    },
  });
  if (problems.length > 0) return { problems };
  return { value: document.toJS({ maxAliasCount: 0 }) as unknown, document, placeOf };
}
