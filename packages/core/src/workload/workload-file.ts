import { stringify } from 'yaml';
import * as z from 'zod';
import { readYamlAs } from '../formats/yaml-schema.js';
import type { YamlProblem } from '../formats/yaml-text.js';
import { DealSchema, onceInOrder, type DataTable } from '../data/data-table.schema.js';
import { curveOfKind } from './curve-shape.js';
import { LoadCurveSchema } from './load-curve.schema.js';
import {
  CrewSchema,
  CriterionSchema,
  StopRuleSchema,
  ThinkTimeSchema,
  WorkloadSchema,
  type Crew,
  type Workload,
} from './workload.schema.js';

const { shape: think } = ThinkTimeSchema;
/** Pauses in a file: as recorded, 10 s at most, where nothing else is said. */
const ThinkInFile = z.strictObject({
  kind: think.kind.default('recorded'),
  factor: think.factor.default(1),
  ms: think.ms.default(1000),
  capMs: think.capMs.default(10_000),
  spread: think.spread,
});
const plainPacing = { kind: 'none', seconds: 0 } as const;
const plainCurve = curveOfKind('ramp', { kind: 'at-once', holdSeconds: 60, rampDownSeconds: 5, atEnd: 'iteration' });
const transaction = z.string().nullable().default(null).describe('name of a transaction; left out, it means all of them together');

/** A crew in a file; only the script is needed. */
const CrewInFile = CrewSchema.omit({ id: true, name: true, scriptId: true, users: true }).extend({
  name: z.string().optional().describe('where it is left out, the name of the script file'),
  id: z.string().optional(),
  script: z.string().min(1).describe('file of the script, as sturdy correlate writes it, beside this file'),
  users: z.number().int().min(1).max(20_000).default(1).describe('virtual users; with arrivals the most that may be under way'),
  think: ThinkInFile.prefault({}),
  pacing: CrewSchema.shape.pacing.default(plainPacing),
  onFailure: CrewSchema.shape.onFailure.default('next-iteration'),
});

/** A data table in a file: what scripts call `data:<table>/<column>`. */
const TableInFile = z.strictObject({
  table: z.string().min(1).describe('what the scripts call it: data:<table>/<column>'),
  file: z.string().min(1).describe('CSV file with a header row (RFC 4180), beside this file'),
  deal: DealSchema.default(onceInOrder),
});

/** A workload as a file for the command line; only `crews` is needed. Times in seconds or ms, as the names say. */
export const WorkloadFileSchema = z.strictObject({
  name: z.string().default('workload file'),
  environment: z.string().optional().describe('file of the environment; --environment says it otherwise'),
  crews: z.array(z.strictObject(CrewInFile.shape)).min(1, 'Name at least one crew, with its script.'),
  curve: LoadCurveSchema.default(plainCurve),
  criteria: z.array(z.strictObject({ ...CriterionSchema.shape, id: CriterionSchema.shape.id.optional(), transaction })).default([]),
  stopRules: z.array(z.strictObject({ ...StopRuleSchema.shape, id: StopRuleSchema.shape.id.optional(), transaction })).default([]),
  data: z.array(TableInFile).default([]),
  limitSeconds: WorkloadSchema.shape.limitSeconds,
  generators: WorkloadSchema.shape.generators.default(1),
  takesOver: WorkloadSchema.shape.takesOver.describe('the others take over the users of a generator that is lost'),
  seed: z.coerce.string().default('1'),
});
export type WorkloadFile = z.infer<typeof WorkloadFileSchema>;

/** Reads the text of a workload file. */
export function readWorkloadFile(text: string): { file: WorkloadFile } | { problems: YamlProblem[] } {
  const read = readYamlAs(text, WorkloadFileSchema);
  return 'problems' in read ? read : { file: read.value };
}

/** The workload that a file describes; a crew's script goes by the name of its file. */
export function workloadOfFile(file: WorkloadFile): Workload {
  const crews = file.crews.map(({ id, script, name, ...crew }, at): Crew => ({
    ...crew,
    id: id ?? `c${at + 1}`,
    name: name ?? script.replace(/^.*[\\/]/, '').replace(/\.ya?ml$/i, ''),
    scriptId: script,
  }));
  return {
    id: 'file',
    projectId: 'file',
    name: file.name,
    crews,
    curve: file.curve,
    criteria: file.criteria.map((criterion, at) => ({ ...criterion, id: criterion.id ?? `k${at + 1}` })),
    stopRules: file.stopRules.map((stopRule, at) => ({ ...stopRule, id: stopRule.id ?? `r${at + 1}` })),
    ...(file.limitSeconds === undefined ? {} : { limitSeconds: file.limitSeconds }),
    generators: file.generators,
    ...(file.takesOver === undefined ? {} : { takesOver: file.takesOver }),
    seed: file.seed,
  };
}

/** What comes with a workload as text: the files that it names. */
export interface WorkloadFiles {
  /** File of a script by its id. */
  script: (id: string) => string;
  environment?: string;
  data?: { table: DataTable; file: string }[];
}

/** The text of a workload file. Reads back to the same workload but for its own id. */
export function writeWorkloadFile(workload: Workload, files: WorkloadFiles): string {
  return stringify(
    {
      name: workload.name,
      ...(files.environment === undefined ? {} : { environment: files.environment }),
      crews: workload.crews.map(({ scriptId, name, ...crew }) => ({ name, script: files.script(scriptId), ...crew })),
      curve: workload.curve,
      criteria: workload.criteria,
      stopRules: workload.stopRules ?? [],
      ...(files.data && files.data.length > 0
        ? { data: files.data.map(({ table, file }) => ({ table: table.id, file, deal: table.deal })) }
        : {}),
      ...(workload.limitSeconds === undefined ? {} : { limitSeconds: workload.limitSeconds }),
      generators: workload.generators,
      ...(workload.takesOver === undefined ? {} : { takesOver: workload.takesOver }),
      seed: workload.seed,
    },
    { lineWidth: 0 },
  );
}
