import { Refusal, type YamlProblem } from '@sturdy/core';

/** What is wrong in the text of a file, a line each with line and column. */
export const refuseLines = (path: string, problems: readonly YamlProblem[]): Refusal =>
  new Refusal(problems.map(({ line, column, message }) => `${path}:${line}:${column}: ${message}`).join('\n'));

/** Why a file cannot be taken in as a whole. */
export const refuse = (path: string, sentence: string): Refusal => new Refusal(`${path}: ${sentence}`);
