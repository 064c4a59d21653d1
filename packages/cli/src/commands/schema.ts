import { fileSchemas, jsonSchemaOf, type FileKind } from '@sturdy/core';
import { Argument, type Command } from 'commander';

export function addSchema(program: Command): void {
  program
    .command('schema')
    .description('print the JSON Schema of a file that is read or written here')
    .addArgument(new Argument('<file>', 'which file').choices(Object.keys(fileSchemas)))
    .action((file: FileKind) => {
      process.stdout.write(`${JSON.stringify(jsonSchemaOf(file), null, 2)}\n`);
    });
}
