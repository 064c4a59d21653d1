// What Tidy leaves out of a real take: of requests that change something it has to be none, so each one left out is printed and counted.
import { exchangesOf, isStaticFile, requestSteps, scriptFromTake, surveyTake } from '../../packages/core/dist/index.js';
import { readTake } from '../../packages/cli/dist/input-files.js';

/** The requests of a take, those that a script of it does not play, and of these the ones that could change something. */
export async function leftOutOfTake(file) {
  const { loaded } = await readTake(file);
  const script = scriptFromTake(loaded, { scriptId: '', name: '', tidy: surveyTake(loaded).proposal });
  const played = new Set(requestSteps(script).flatMap(({ step }) => exchangesOf(step)));
  const left = loaded.exchanges.filter((one) => !played.has(one.n));
  return {
    requests: loaded.exchanges.length,
    files: left.filter(isStaticFile).length,
    others: left.filter((one) => !isStaticFile(one)).length,
    acts: left.filter((one) => !/^(GET|HEAD|OPTIONS)$/.test(one.method)).map((one) => `${one.method} ${one.url}`),
  };
}
