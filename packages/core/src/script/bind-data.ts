import { changeRequests, requestSteps, type Piece, type Script, type Template } from './script.schema.js';
import { followRows } from './follow-rows.js';
import { maskTitle, titleWords } from './mask-title.js';
import { bindStep, sentValues } from './request-parts.js';
import { changeTemplates, templatesOfScript } from './step-templates.js';
import { compact, movingPieces } from './template.js';

/** A place where a recorded value is sent. */
export interface ValuePlace {
  step: string;
  number: number;
  place: string;
}

/** Every place where `value` is sent, whatever it is wrapped in there. */
export function placesOf(script: Script, value: string): ValuePlace[] {
  return requestSteps(script).flatMap(({ step, number }) =>
    sentValues(step)
      .filter((one) => one.value === value)
      .map((one) => ({ step: step.id, number, place: one.place })),
  );
}

/** Puts a column of a data table in the place of a recorded value, at all the given places; checks that look for the value follow. */
export function bindColumn(
  script: Script,
  value: string,
  places: readonly { step: string; place: string }[],
  table: string,
  column: string,
): Script {
  const wanted = new Set(places.map((one) => `${one.step} ${one.place}`));
  const piece: Piece = { kind: 'data', table, column, recorded: value };
  return followRows({
    ...changeRequests(inChecks(script, value, piece), (step) =>
      bindStep(maskTitle(step, titleWords([value])), (one) =>
        one.value === value && wanted.has(`${step.id} ${one.place}`) ? [piece] : undefined,
      ),
    ),
    unsure: script.unsure.filter((one) => !wanted.has(`${one.step} ${one.place}`)),
  });
}

/** The checks of a script with a text that was entered looked for as what is sent now. */
const inChecks = (script: Script, value: string, piece: Piece): Script =>
  changeRequests(script, (step) => {
    if (!step.checks) return step;
    const { checks } = changeTemplates({ ...step, url: [], headers: [], body: null }, (template) =>
      template.flatMap((one) => (one.kind === 'text' ? replaced(one.text, value, piece) : [one])),
    );
    return { ...step, ...(checks && { checks }) };
  });

/** A text with a piece wherever the value stands in it as a word of its own. */
function replaced(text: string, value: string, piece: Piece): Template {
  const parts = text.split(value);
  if (parts.length === 1 || value.length < 3) return [{ kind: 'text', text }];
  return compact(
    parts.flatMap((part, at): Template => (at === 0 ? [{ kind: 'text', text: part }] : [piece, { kind: 'text', text: part }])),
  );
}

/** Names of the columns of each table that a script takes from data. */
export function boundColumns(script: Script): Map<string, Set<string>> {
  const found = new Map<string, Set<string>>();
  for (const template of templatesOfScript(script))
    for (const piece of movingPieces(template))
      if (piece.kind === 'data') found.set(piece.table, (found.get(piece.table) ?? new Set()).add(piece.column));
  return found;
}
