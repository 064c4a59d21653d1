// What a pass is worth: the handoffs and the values that the client makes are left out of a script that passes, one after the other, and each
// time it is rehearsed twice. Where it is called proven, what the application holds has to be right all the same: then it was not needed.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { changeAllTemplates, mapPieces, withoutHandoff, writeScript } from '../packages/core/dist/index.js';
import { readScriptFile } from '../packages/cli/dist/input-files.js';

/** The script with what the client makes sent as it was recorded. */
const withoutMade = (script, id) => ({
  ...changeAllTemplates(script, (template) =>
    mapPieces(template, (piece) => (piece.kind === 'made' && piece.made === id ? { kind: 'text', text: piece.recorded } : undefined)),
  ),
  made: script.made.filter((one) => one.id !== id),
});

/** All that was recorded where a piece stands; a rotating handoff stands for several values. */
function recordedOf(script, id) {
  const found = new Set();
  changeAllTemplates(script, (template) =>
    mapPieces(template, (piece) => {
      if (piece.handoff === id || piece.made === id) found.add(piece.recorded);
      return undefined;
    }),
  );
  return [...found];
}

/** Whether a sentence that names a cause names one of the values that were left out; `none` where no cause is named. */
function causeOf(report, recorded) {
  const says = (sentence) => recorded.some((value) => sentence.includes(`“${value.slice(0, 40)}`));
  const divergence = report.rounds.map((one) => one.rehearsal.divergence).find((one) => one);
  if (divergence) {
    if (!/stale-value|refused-value/.test(divergence.cause)) return 'none';
    return says(divergence.sentence) || recorded.includes(divergence.refused) ? 'right' : 'wrong';
  }
  const open = (report.proof?.open ?? []).filter((one) => one.kind === 'still-recorded' || one.kind === 'not-new');
  if (open.length === 0) return 'none';
  return open.some((one) => recorded.includes(one.about?.value) || says(one.sentence)) ? 'right' : 'wrong';
}

/**
 * Leaves out one by one. `rehearse(file, report)` plays a script file twice; `isRight()` tells whether since the last call the application did
 * what two replays have to do.
 */
export async function leaveOneOut(folder, file, rehearse, isRight) {
  const { script, files } = readScriptFile(join(folder, file));
  const kept = new Map([...files].map(([hash, bytes]) => [hash, Buffer.from(bytes).toString('base64')]));
  const all = [
    ...script.handoffs.map((one) => ({ ...one, left: withoutHandoff(script, one.id) })),
    ...script.made.map((one) => ({ ...one, left: withoutMade(script, one.id) })),
  ];
  const result = { left: all.length, falsePasses: [], needless: [], causes: { right: 0, wrong: 0, none: 0 }, wrongCauses: [] };
  await isRight();
  for (const { left, ...own } of all) {
    writeFileSync(join(folder, 'left-out.yaml'), writeScript(left, kept));
    await rehearse('left-out.yaml', 'left-out.json');
    const right = await isRight();
    const report = JSON.parse(readFileSync(join(folder, 'left-out.json'), 'utf8'));
    const about = `${own.name} “${own.recorded.slice(0, 40)}”`;
    if (report.result === 'proven') (right ? result.needless : result.falsePasses).push(about);
    else {
      const cause = causeOf(report, recordedOf(script, own.id));
      result.causes[cause]++;
      if (cause === 'wrong')
        result.wrongCauses.push(`${about}: ${report.rounds.at(-1)?.rehearsal.divergence?.sentence ?? report.proof?.open[0]?.sentence}`);
    }
  }
  return result;
}
