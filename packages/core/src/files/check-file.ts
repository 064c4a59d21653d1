import { environmentOfFile, EnvironmentFileSchema } from './environment-file.js';
import { clearanceProblem } from '../environment/clearance.js';
import { environmentFault } from '../environment/targets.js';
import { TargetPolicySchema } from '../environment/target-policy.js';
import { readPart, readScript } from '../formats/script-text/script-reader.js';
import { offsetOf, readYamlAs, type YamlSchema } from '../formats/yaml-schema.js';
import { readYaml, type YamlProblem } from '../formats/yaml-text.js';
import { ProjectFileSchema, TableFileSchema } from '../project-files/project-file.schema.js';
import { BriefFileSchema } from '../brief/brief.schema.js';
import { readPatterns } from '../patterns/pattern-file.js';
import { WorkloadFileSchema } from '../workload/workload-file.js';
import type { FileKind } from './file-schemas.js';

/** A kind of file that people write. */
export type WrittenKind = Extract<
  FileKind,
  'script' | 'environment' | 'workload' | 'patterns' | 'policy' | 'project' | 'part' | 'table' | 'brief'
>;

/** What a file turned out to be, and what is wrong with it; a kind of null is none that is known. */
export interface CheckedFile {
  kind: WrittenKind | null;
  problems: YamlProblem[];
}

/** Members by which kinds of files are told apart, the plainest first. */
const tellingMembers: readonly [string, WrittenKind][] = [
  ['project', 'project'],
  // A brief has transactions and hosts as well, so its own members are looked for first.
  ['aims', 'brief'],
  ['capacityPercent', 'brief'],
  ['transactions', 'script'],
  ['script', 'script'],
  ['crews', 'workload'],
  ['targets', 'environment'],
  ['patterns', 'patterns'],
  ['part', 'part'],
  ['columns', 'table'],
  ['networks', 'policy'],
  ['hosts', 'policy'],
  ['publicAddresses', 'policy'],
  ['requestsPerSecond', 'policy'],
  ['users', 'policy'],
];

/**
 * Checks a text that people write: what kind of file it is, and everything that is wrong with it, with line and column. `exists` says whether a file
 * that it names is there. `nowMs` is the moment at which clearances are looked at, in ms since 1970; null where it does not matter whether targets are cleared.
 */
export function checkFile(
  text: string,
  exists: (name: string) => boolean,
  nowMs: number | null,
  /** What kind of file it is to be, where its place says so; else its members tell. */
  expected?: WrittenKind,
): CheckedFile {
  const yaml = readYaml(text);
  if ('problems' in yaml) return { kind: null, problems: yaml.problems };
  const members = typeof yaml.value === 'object' && yaml.value !== null ? Object.keys(yaml.value) : [];
  const kind = expected ?? tellingMembers.find(([member]) => members.includes(member))?.[1] ?? null;
  if (kind === null) {
    const known =
      'transactions (a script), crews (a workload), targets (an environment), patterns, networks (a policy), project, part, columns (a table), or aims (a brief)';
    return { kind, problems: [{ line: 1, column: 1, message: `Nobody can tell what this file is. It has none of: ${known}.` }] };
  }
  return { kind, problems: checks[kind](text, exists, nowMs) };
}

type Check = (text: string, exists: (name: string) => boolean, nowMs: number | null) => YamlProblem[];

/** What is wrong by a schema, and nothing else. */
function ofSchema<T>(text: string, schema: YamlSchema<T>): YamlProblem[] {
  const read = readYamlAs(text, schema);
  return 'problems' in read ? read.problems : [];
}

const checks: Record<WrittenKind, Check> = {
  script: (text) => {
    const read = readScript(text, { id: 'file', projectId: 'file', takeId: '', secondTakeId: null });
    return 'problems' in read ? read.problems : [];
  },
  workload: (text, exists) => {
    const read = readYamlAs(text, WorkloadFileSchema);
    if ('problems' in read) return read.problems;
    const { crews, environment, data } = read.value;
    const named: [path: (string | number)[], file: string][] = [
      ...crews.map(({ script }, at): [(string | number)[], string] => [['crews', at, 'script'], script]),
      ...data.map(({ file }, at): [(string | number)[], string] => [['data', at, 'file'], file]),
      ...(environment === undefined ? [] : [[['environment'], environment] as [(string | number)[], string]]),
    ];
    return named
      .filter(([, file]) => !exists(file))
      .map(([path, file]) => ({
        ...read.yaml.placeOf(offsetOf(read.yaml.document, path)),
        message: `${path.join('.')}: The file ${file} does not exist. Name files as they lie beside this one.`,
      }));
  },
  environment: (text, _exists, nowMs) => {
    const read = readYamlAs(text, EnvironmentFileSchema);
    if ('problems' in read) return read.problems;
    const environment = environmentOfFile(read.value);
    const at = (path: (string | number)[], message: string): YamlProblem[] => [
      { ...read.yaml.placeOf(offsetOf(read.yaml.document, path)), message: `${path.join('.')}: ${message}` },
    ];
    // A project may have an environment that is only begun.
    if (environment.targets.length === 0 && nowMs !== null) return at([], 'Name at least one target, under targets:.');
    const fault = environmentFault(environment);
    if (fault !== null) return at(['targets'], fault);
    if (nowMs === null) return [];
    return environment.targets.flatMap((target, index) => {
      const problem = clearanceProblem(environment, target, nowMs);
      return problem === null ? [] : at(['targets', index], problem);
    });
  },
  patterns: (text) => {
    const read = readPatterns(text);
    return 'problems' in read ? read.problems : [];
  },
  policy: (text) => ofSchema(text, TargetPolicySchema),
  part: (text) => {
    const read = readPart(text, { id: 'file', projectId: 'file' });
    return 'problems' in read ? read.problems : [];
  },
  table: (text) => ofSchema(text, TableFileSchema),
  brief: (text) => ofSchema(text, BriefFileSchema),
  project: (text, exists) => {
    const read = readYamlAs(text, ProjectFileSchema);
    if ('problems' in read) return read.problems;
    const { environments, takes, parts, tables, scripts, rehearsals, workloads } = read.value;
    const listed = { environments, takes, parts, tables, scripts, rehearsals, workloads };
    return Object.entries(listed).flatMap(([kind, list]) =>
      list.flatMap(({ file }, at) =>
        exists(file)
          ? []
          : [
              {
                ...read.yaml.placeOf(offsetOf(read.yaml.document, [kind, at, 'file'])),
                message: `${kind}.${at}.file: The file ${file} does not exist. Take it out of the list, or put the file back.`,
              },
            ],
      ),
    );
  },
};
