import * as z from 'zod';
import { BriefFileSchema } from '../brief/brief.schema.js';
import { EnvironmentFileSchema } from './environment-file.js';
import { TargetPolicySchema } from '../environment/target-policy.js';
import { PartTextSchema, ScriptTextSchema } from '../formats/script-text/script-text.schema.js';
import { PatternFileSchema } from '../patterns/pattern.schema.js';
import { CorrelationFileSchema, RehearsalFileSchema } from '../report/report.schema.js';
import { ProjectFileSchema, TableFileSchema } from '../project-files/project-file.schema.js';
import { ReportFileSchema } from '../run-report/report-template.schema.js';
import { RunFileSchema } from '../run-report/run-file.js';
import { WorkloadFileSchema } from '../workload/workload-file.js';

/** A kind of file that is read or written. */
export type FileKind =
  | 'script'
  | 'environment'
  | 'workload'
  | 'run'
  | 'correlation'
  | 'rehearsal'
  | 'patterns'
  | 'policy'
  | 'project'
  | 'part'
  | 'table'
  | 'brief'
  | 'report';

/** The schemas of all files that are read or written, by their kinds. What each gives is of no matter here: the compiler would write it all out. */
export const fileSchemas: Readonly<Record<FileKind, z.ZodType>> = {
  script: ScriptTextSchema,
  environment: EnvironmentFileSchema,
  workload: WorkloadFileSchema,
  run: RunFileSchema,
  correlation: CorrelationFileSchema,
  rehearsal: RehearsalFileSchema,
  patterns: PatternFileSchema,
  policy: TargetPolicySchema,
  project: ProjectFileSchema,
  part: PartTextSchema,
  table: TableFileSchema,
  brief: BriefFileSchema,
  report: ReportFileSchema,
};

/** The JSON Schema (2020-12) of a kind of file, for editors. */
export const jsonSchemaOf = (kind: FileKind): object => z.toJSONSchema(fileSchemas[kind], { io: 'input', reused: 'ref' });

/** The file of a schema, beside the files that name it. */
export const schemaFile = (kind: FileKind): string => `schemas/${kind}.schema.json`;

/** The first line of a file of YAML by which editors find its schema (the modeline of the YAML language server); `up` leads to the folder of the schemas. */
export const schemaLine = (kind: FileKind, up = ''): string => `# yaml-language-server: $schema=${up}${schemaFile(kind)}\n`;
