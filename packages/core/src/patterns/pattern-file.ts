import { stringify } from 'yaml';
import { offsetOf, readYamlAs } from '../formats/yaml-schema.js';
import type { YamlProblem } from '../formats/yaml-text.js';
import { patternProblem } from './ready-pattern.js';
import { PatternFileSchema, type HandoffPattern } from './pattern.schema.js';

/** Writes patterns as YAML that reads back to the same patterns. */
export const writePatterns = (list: readonly HandoffPattern[]): string =>
  stringify({ patterns: 1, list }, { lineWidth: 0, aliasDuplicateObjects: false });

/** Reads a file of patterns, YAML or JSON; or says what is wrong with it, and where. */
export function readPatterns(text: string): { list: HandoffPattern[] } | { problems: YamlProblem[] } {
  const read = readYamlAs(text, PatternFileSchema);
  if ('problems' in read) return read;
  const { list } = read.value;
  const problems = list.flatMap((pattern, at) => {
    const message = patternProblem(pattern);
    return message === null ? [] : [{ ...read.yaml.placeOf(offsetOf(read.yaml.document, ['list', at])), message }];
  });
  return problems.length > 0 ? { problems } : { list };
}
