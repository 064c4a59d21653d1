import { parseDocument, stringify } from 'yaml';
import { patternProblem } from './match.js';
import { PatternFileSchema, type HandoffPattern } from './pattern.schema.js';

/** Writes patterns as YAML that reads back to the same patterns. */
export const writePatterns = (list: readonly HandoffPattern[]): string =>
  stringify({ patterns: 1, list }, { lineWidth: 0, aliasDuplicateObjects: false });

/** Reads a file of patterns, YAML or JSON; or says in sentences what is wrong with it. */
export function readPatterns(text: string): { list: HandoffPattern[] } | { problems: string[] } {
  const document = parseDocument(text, { prettyErrors: false });
  if (document.errors.length > 0) return { problems: document.errors.map((one) => `This is no YAML: ${one.message}`) };
  const parsed = PatternFileSchema.safeParse(document.toJS({ maxAliasCount: 0 }));
  if (!parsed.success) return { problems: parsed.error.issues.map((one) => `${one.path.join('.') || 'The file'}: ${one.message}`) };
  const problems = parsed.data.list.flatMap((one) => patternProblem(one) ?? []);
  return problems.length > 0 ? { problems } : { list: parsed.data.list };
}
