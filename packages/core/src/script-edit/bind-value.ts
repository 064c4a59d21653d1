import { allSteps } from '../script/step.schema.js';
import { changeRecordedSteps, changeRequests, recordedSteps, type Script } from '../script/script.schema.js';
import type { Piece, Template } from '../values/template.schema.js';
import { followRows } from './follow-rows.js';
import { maskTitle, titleWords } from './mask-title.js';
import { bindStep, sentValues } from '../actions/sent-parts.js';
import { changeAllTemplates, changeTemplates, templatesOfScript } from '../script/step-templates.js';
import { compact, mapPieces, movingPieces } from '../values/template.js';

/** A place where a recorded value is sent; `part` where it is only a part of what is sent there. */
export interface ValuePlace {
  step: string;
  number: number;
  place: string;
  part?: { start: number; end: number };
}

/** Parts shorter than this stand in longer values by chance. */
const shortestPart = 4;

/** Where a text stands in another one as a word of its own. */
function partsOf(text: string, value: string): { start: number; end: number }[] {
  const found: { start: number; end: number }[] = [];
  if (value.length < shortestPart) return found;
  for (let at = text.indexOf(value); at >= 0; at = text.indexOf(value, at + value.length)) {
    const end = at + value.length;
    if (!/[\p{L}\d]/u.test(text[at - 1] ?? '') && !/[\p{L}\d]/u.test(text[end] ?? '')) found.push({ start: at, end });
  }
  return found;
}

/** Every place where `value` is sent, whatever it is wrapped in there, and every longer value that it is a part of. */
export function placesOf(script: Script, value: string): ValuePlace[] {
  return recordedSteps(script).flatMap(({ step, number }) =>
    sentValues(step).flatMap((sentValue): ValuePlace[] => {
      const here = { step: step.id, number, place: sentValue.place };
      return sentValue.value === value ? [here] : partsOf(sentValue.value, value).map((part) => ({ ...here, part }));
    }),
  );
}

/**
 * Puts a template in the place of a recorded value, or of a part of one, at all the given places; checks that look for the value follow
 * where one piece stands for it. What it is wrapped in stays around it.
 */
export function bindValue(
  script: Script,
  value: string,
  places: readonly Pick<ValuePlace, 'step' | 'place' | 'part'>[],
  template: Template,
): Script {
  const wanted = new Map(places.map((place) => [`${place.step} ${place.place}`, place]));
  const [only] = template;
  const followed = template.length === 1 && only ? inChecks(script, value, only) : script;
  const masked = changeRequests(followed, (step) => maskTitle(step, titleWords([value])));
  return followRows({
    ...changeRecordedSteps(masked, (step) =>
      bindStep(step, (sentValue) => {
        const wantedPlace = wanted.get(`${step.id} ${sentValue.place}`);
        if (!wantedPlace) return undefined;
        if (!wantedPlace.part) return sentValue.value === value ? [...template] : undefined;
        const { start, end } = wantedPlace.part;
        if (sentValue.value.slice(start, end) !== value) return undefined;
        return compact([
          { kind: 'text', text: sentValue.value.slice(0, start) },
          ...template,
          { kind: 'text', text: sentValue.value.slice(end) },
        ]);
      }),
    ),
    unsure: script.unsure.filter((unsureValue) => !wanted.has(`${unsureValue.step} ${unsureValue.place}`)),
  });
}

/** Puts a column of a data table in the place of a recorded value, at all the given places. */
export const bindColumn = (
  script: Script,
  value: string,
  places: readonly Pick<ValuePlace, 'step' | 'place' | 'part'>[],
  table: string,
  column: string,
): Script => bindValue(script, value, places, [{ kind: 'data', table, column, recorded: value }]);

/** The checks of a script with a text that was entered looked for as what is sent now. */
const inChecks = (script: Script, value: string, piece: Piece): Script =>
  changeRecordedSteps(script, (step) => {
    if (!step.checks) return step;
    const { checks } = changeTemplates({ ...step, url: [], headers: [], body: null }, (template) =>
      template.flatMap((templatePiece) => (templatePiece.kind === 'text' ? replaced(templatePiece.text, value, piece) : [templatePiece])),
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

/** Tables whose rows a script goes through in loops. */
export const loopedTables = (script: Script): string[] =>
  script.transactions.flatMap((transaction) =>
    allSteps(transaction.steps).flatMap((step) => (step.kind === 'repeat' && step.loop?.kind === 'each-row' ? [step.loop.table] : [])),
  );

/** Names of the columns of each table that a script takes from data; a table whose rows are only gone through has none. */
export function boundColumns(script: Script): Map<string, Set<string>> {
  const found = new Map<string, Set<string>>();
  for (const template of templatesOfScript(script))
    for (const piece of movingPieces(template))
      if (piece.kind === 'data') found.set(piece.table, (found.get(piece.table) ?? new Set()).add(piece.column));
  for (const table of loopedTables(script)) if (!found.has(table)) found.set(table, new Set());
  return found;
}

/** A script that calls a column of a data table by its new name. */
export function renameDataColumn(script: Script, table: string, from: string, to: string): Script {
  const renamed = (template: Template): Template =>
    mapPieces(template, (piece) =>
      piece.kind === 'data' && piece.table === table && piece.column === from ? { ...piece, column: to } : undefined,
    );
  return {
    ...changeAllTemplates(script, renamed),
    handoffs: script.handoffs.map((handoff) =>
      handoff.extractor.beside ? { ...handoff, extractor: { ...handoff.extractor, beside: renamed(handoff.extractor.beside) } } : handoff,
    ),
  };
}
