import {
  CorrelationFileSchema,
  EnvironmentFileSchema,
  PatternFileSchema,
  RehearsalFileSchema,
  RunFileSchema,
  ScriptTextSchema,
  TargetPolicySchema,
  WorkloadFileSchema,
} from '@sturdy/core';
import { Argument, type Command } from 'commander';
import * as z from 'zod';

const schemas = {
  script: ScriptTextSchema,
  environment: EnvironmentFileSchema,
  workload: WorkloadFileSchema,
  run: RunFileSchema,
  correlation: CorrelationFileSchema,
  rehearsal: RehearsalFileSchema,
  patterns: PatternFileSchema,
  policy: TargetPolicySchema,
};

export function addSchema(program: Command): void {
  program
    .command('schema')
    .description('print the JSON Schema of a file that is read or written here')
    .addArgument(new Argument('<file>', 'which file').choices(Object.keys(schemas)))
    .action((file: keyof typeof schemas) => {
      process.stdout.write(`${JSON.stringify(z.toJSONSchema(schemas[file], { io: 'input' }), null, 2)}\n`);
    });
}
