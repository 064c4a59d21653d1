import { actionKindOf, isAction } from '../actions/action-kinds.js';
import { RE2JS } from 're2js';
import { compileExpression } from '../values/expression.js';
import * as z from 'zod';
import type { Script, Transaction } from '../script/script.schema.js';
import type { Step } from '../script/step.schema.js';
import { changeTemplates } from '../script/step-templates.js';
import { encode } from '../values/encoding.js';
import { compact, recordedText } from '../values/template.js';
import type { Piece, Template } from '../values/template.schema.js';

/** What is looked for in a whole script. */
export const FindWishSchema = z.object({
  text: z.string().min(1, 'Write what is looked for.').max(1000),
  /** The text is an expression (RE2 syntax), and groups may be named in what replaces it: `$1`. */
  expression: z.boolean().default(false),
  anyCase: z.boolean().default(false),
});
export type FindWish = z.infer<typeof FindWishSchema>;

/** A place where it stands: its key names it among all, `around` shows it with the text around it. */
export interface FindHit {
  key: string;
  /** Step or transaction. */
  id: string;
  /** What part of it, in words: `name`, `url`, `header Accept`, `body`, `check 2`, `code`, `comment`, … */
  where: string;
  around: { before: string; found: string; after: string };
  /** What would stand there instead. */
  instead: string;
}

const shownAround = 40;

/** Finds and replaces in one text; each match has a number within its place. */
class Finder {
  readonly hits: FindHit[] = [];
  readonly #expression: RE2JS;

  constructor(
    readonly wish: FindWish,
    readonly by: string,
    readonly wanted: ReadonlySet<string> | null,
    readonly replaces: boolean,
  ) {
    const flags = (wish.anyCase ? RE2JS.CASE_INSENSITIVE : 0) | RE2JS.MULTILINE;
    this.#expression = compileExpression(wish.expression ? wish.text : RE2JS.quote(wish.text), flags);
  }

  in(text: string, id: string, where: string, place: string): string {
    const matcher = this.#expression.matcher(text);
    let done = '';
    let from = 0;
    for (let count = 0; matcher.find(); count++) {
      const [start, end] = [matcher.start(), matcher.end()];
      // An empty text would be found everywhere.
      if (end === start) break;
      const key = `${id} ${place} ${count}`;
      const instead = this.wish.expression ? this.by.replace(/\$(\d)/g, (_, group: string) => matcher.group(Number(group)) ?? '') : this.by;
      this.hits.push({
        key,
        id,
        where,
        around: {
          before: text.slice(Math.max(0, start - shownAround), start),
          found: text.slice(start, end),
          after: text.slice(end, end + shownAround),
        },
        instead,
      });
      done += text.slice(from, start) + (this.replaces && (this.wanted?.has(key) ?? true) ? instead : text.slice(start, end));
      from = end;
    }
    return from === 0 ? text : done + text.slice(from);
  }

  /** In the literal texts of a template; what moves stays. A wrapping that holds nothing that moves is one text, as it was recorded. */
  template(template: Template, id: string, where: string, place: string): Template {
    return compact(
      template.map((piece, at): Piece => {
        if (piece.kind === 'text') return { kind: 'text', text: this.in(piece.text, id, where, `${place}.${at}`) };
        if (piece.kind !== 'wrap') return piece;
        const pieces = this.template(piece.pieces, id, where, `${place}.${at}`);
        const isSame = recordedText(pieces) === recordedText(piece.pieces);
        return { ...piece, pieces, recorded: isSame ? piece.recorded : encode(piece.encoding, recordedText(pieces)) };
      }),
    );
  }

  step(step: Step): Step {
    const { id } = step;
    let count = 0;
    const places = placesIn(step);
    const changed = changeTemplates(step, (template) => {
      const where = places[count] ?? 'text';
      return this.template(template, id, where, String(count++));
    });
    return this.#texts(
      'steps' in changed ? ({ ...changed, steps: changed.steps.map((innerStep) => this.step(innerStep)) } as Step) : changed,
    );
  }

  /** Texts of a step that are no templates. */
  #texts(step: Step): Step {
    const { id } = step;
    const replaceIn = (text: string, where: string): string => this.in(text, id, where, where);
    if (isAction(step)) return { ...step, name: replaceIn(step.name, 'name') || step.name };
    switch (step.kind) {
      case 'repeat':
      case 'when':
      case 'meet':
        return { ...step, name: replaceIn(step.name, 'name') || step.name };
      case 'comment':
        return { ...step, text: replaceIn(step.text, 'comment') };
      case 'code':
        return { ...step, name: replaceIn(step.name, 'name') || step.name, source: replaceIn(step.source, 'code') };
      case 'variable':
      case 'cookie':
        return { ...step, name: replaceIn(step.name, 'name') || step.name };
      case 'pause':
      case 'log':
      case 'side-by-side':
        return step;
    }
  }

  transaction(transaction: Transaction): Transaction {
    return {
      ...transaction,
      name: this.in(transaction.name, transaction.id, 'name', 'name') || transaction.name,
      steps: transaction.steps.map((step) => this.step(step)),
    };
  }
}

/** The templates of a step in the order in which `changeTemplates` meets them, in words. */
function placesIn(step: Step): string[] {
  if (isAction(step)) return actionKindOf(step).templateWords(step);
  switch (step.kind) {
    case 'log':
      return ['log'];
    case 'variable':
    case 'cookie':
      return ['value'];
    default:
      return ['condition', 'condition'];
  }
}

/** Every place where a text stands in a script: names, addresses, headers, bodies, checks, code, comments. Throws where an expression is not valid. */
export function findInScript(script: Script, wish: FindWish, by = ''): FindHit[] {
  const finder = new Finder(wish, by, null, false);
  script.transactions.forEach((transaction) => finder.transaction(transaction));
  return finder.hits;
}

/** A script with the text replaced at the wanted places; everywhere where `keys` is null. */
export function replaceInScript(script: Script, wish: FindWish, by: string, keys: readonly string[] | null): Script {
  const finder = new Finder(wish, by, keys && new Set(keys), true);
  const transactions = script.transactions.map((transaction) => finder.transaction(transaction));
  return finder.hits.length === 0 ? script : { ...script, transactions };
}
