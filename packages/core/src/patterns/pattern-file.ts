import { stringify } from 'yaml';
import { readYaml } from '../formats/yaml-text.js';
import { patternProblem } from './ready-pattern.js';
import { PatternFileSchema, type HandoffPattern } from './pattern.schema.js';

/** Writes patterns as YAML that reads back to the same patterns. */
export const writePatterns = (list: readonly HandoffPattern[]): string =>
  stringify({ patterns: 1, list }, { lineWidth: 0, aliasDuplicateObjects: false });

/** Reads a file of patterns, YAML or JSON; or says in sentences what is wrong with it. */
export function readPatterns(text: string): { list: HandoffPattern[] } | { problems: string[] } {
  const yaml = readYaml(text);
  if ('problems' in yaml)
    return { problems: yaml.problems.map(({ line, column, message }) => `Line ${line}, column ${column}: ${message}`) };
  const parsed = PatternFileSchema.safeParse(yaml.value);
  if (!parsed.success) return { problems: parsed.error.issues.map((issue) => `${issue.path.join('.') || 'The file'}: ${issue.message}`) };
  const problems = parsed.data.list.flatMap((pattern) => patternProblem(pattern) ?? []);
  return problems.length > 0 ? { problems } : { list: parsed.data.list };
}
