import { isMap, isScalar, type Document } from 'yaml';
import type * as z from 'zod';
import { readYaml, type YamlProblem, type YamlText } from './yaml-text.js';

type Read = Extract<YamlText, { value: unknown }>;

/** Something that does not fit a schema. */
interface Misfit {
  path: PropertyKey[];
  message: string;
}

/** Faults of one place that are told, at the most. */
const mostInOne = 3;

/**
 * What is wrong with a text of YAML by a schema, each with line and column. Where several kinds of things may stand at a place, the faults are those of
 * the kind that fits best, and the first member of what stands there says which one that is.
 */
export function schemaProblems(
  { document, placeOf }: Pick<Read, 'document' | 'placeOf'>,
  issues: readonly z.core.$ZodIssue[],
): YamlProblem[] {
  return issues
    .flatMap((issue) => misfitsOf(issue, document))
    .map(({ path, message }) => ({ ...placeOf(offsetOf(document, path)), message: `${path.join('.') || 'The text'}: ${message}` }));
}

/** What is asked of a schema. Its full type would keep the compiler busy for minutes where a schema is a large one. */
export interface YamlSchema<T> {
  safeParse: (value: unknown) => { success: true; data: T } | { success: false; error: { issues: z.core.$ZodIssue[] } };
}

/** Reads a text of YAML by a schema; or says what is wrong with it, and where. */
export function readYamlAs<T>(text: string, schema: YamlSchema<T>): { value: T; yaml: Read } | { problems: YamlProblem[] } {
  const yaml = readYaml(text);
  if ('problems' in yaml) return yaml;
  const parsed = schema.safeParse(yaml.value);
  return parsed.success ? { value: parsed.data, yaml } : { problems: schemaProblems(yaml, parsed.error.issues) };
}

function misfitsOf(issue: z.core.$ZodIssue, document: Document): Misfit[] {
  if (issue.code === 'unrecognized_keys')
    return issue.keys.map((key) => ({ path: [...issue.path, key], message: `Nothing is called “${key}” here.` }));
  if (issue.code !== 'invalid_union') return [{ path: issue.path, message: issue.message }];
  const first = firstMember(document, issue.path);
  // Who writes a step begins with what it is: the kinds that know the first member are meant, whatever else fits others better.
  const meant = issue.errors.filter((errors) => first === null || !errors.some((error) => isUnknown(error, first)));
  const [best] = [...(meant.length > 0 ? meant : issue.errors)].sort(
    (left, right) =>
      left.length - right.length ||
      Math.max(...right.map((nested) => nested.path.length)) - Math.max(...left.map((nested) => nested.path.length)),
  );
  const kind = first === null ? '' : ` (in what begins with “${first}”)`;
  return (best ?? [])
    .flatMap((inner) => misfitsOf({ ...inner, path: [...issue.path, ...inner.path] }, document))
    .slice(0, mostInOne)
    .map(({ path, message }) => ({ path, message: message.includes('(in what begins') ? message : `${message}${kind}` }));
}

/** True where an issue says that a member of this name is none of the kind. */
const isUnknown = (issue: z.core.$ZodIssue, member: string): boolean =>
  issue.code === 'unrecognized_keys' && issue.path.length === 0 && issue.keys.includes(member);

/** The name of the first member of the map at a path; null where no map stands there. */
function firstMember(document: Document, path: readonly PropertyKey[]): string | null {
  const node: unknown = path.length === 0 ? document.contents : document.getIn(path, true);
  const key = isMap(node) ? node.items[0]?.key : undefined;
  return isScalar(key) ? String(key.value) : null;
}

/** Where the node at a path stands in the text; where there is none, that of the nearest one around it. */
export function offsetOf(document: Document, path: readonly PropertyKey[]): number {
  for (let length = path.length; length >= 0; length--) {
    const keys = path.slice(0, length);
    const parent: unknown = keys.length === 0 ? document.contents : document.getIn(keys.slice(0, -1), true);
    const last = keys.at(-1);
    const node: unknown = keys.length === 0 ? document.contents : document.getIn(keys, true);
    // A member stands where its key does.
    if (isMap(parent)) {
      const pair = parent.items.find((item) => isScalar(item.key) && item.key.value === last);
      if (pair && isScalar(pair.key) && pair.key.range) return pair.key.range[0];
    }
    const range = (node as { range?: [number, number, number] } | null | undefined)?.range;
    if (range) return range[0];
  }
  return 0;
}
