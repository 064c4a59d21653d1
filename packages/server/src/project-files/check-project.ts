import { checkFile, pathFrom, ProjectFileSchema, readYamlAs, type ProjectFile, type WrittenKind, type YamlProblem } from '@sturdy/core';
import { namedFiles } from './project-folder.js';
import { textOf, type ProjectSource } from './project-source.js';

/** A fault of a file of a project. */
export interface ProjectFault extends YamlProblem {
  file: string;
}

/**
 * Everything that is wrong with the files of a project that people write, with file, line and column; and files that are named and not there. Whether targets are
 * cleared does not matter. Takes, rehearsals and runs are not read: an import says what is wrong with them.
 */
export async function checkProject(source: ProjectSource): Promise<{ files: number; faults: ProjectFault[] }> {
  const there = new Set(source.paths);
  if (!there.has('project.yaml'))
    return { files: 0, faults: [{ file: 'project.yaml', line: 1, column: 1, message: 'It is not there, so this is no project.' }] };
  const faults: ProjectFault[] = [];
  const written = source.paths.filter((path) => /\.ya?ml$/.test(path)).sort();
  const contents = readYamlAs(await textOf(source, 'project.yaml'), ProjectFileSchema);
  const kinds = 'problems' in contents ? new Map<string, WrittenKind>() : kindsOf(contents.value);
  for (const file of written) {
    const { problems } = checkFile(await textOf(source, file), (name) => there.has(pathFrom(file, name)), null, kinds.get(file));
    faults.push(...problems.map((problem) => ({ file, ...problem })));
  }
  // Those of `file` were told with line and column already.
  if (!('problems' in contents))
    for (const path of namedFiles(contents.value))
      if (!there.has(path) && /\.csv$|\/run\.json$/.test(path))
        faults.push({ file: 'project.yaml', line: 1, column: 1, message: `It names ${path}, which is not there.` });
  return { files: written.length, faults };
}

/** What kind each file is by the list that names it. */
function kindsOf({ environments, parts, tables, scripts, workloads }: ProjectFile): Map<string, WrittenKind> {
  const lists: [WrittenKind, readonly { file: string }[]][] = [
    ['environment', environments],
    ['part', parts],
    ['table', tables],
    ['script', scripts],
    ['workload', workloads],
  ];
  return new Map(lists.flatMap(([kind, list]) => list.map(({ file }): [string, WrittenKind] => [file, kind])));
}
