import type { Check, Checked, Condition } from '../check/check.schema.js';
import type { Extractor } from '../answers/extractor.schema.js';
import type { Script } from './script.schema.js';
import { allSteps, changeSteps, type Step } from './step.schema.js';
import type { SocketUse } from '../actions/http/request.schema.js';
import type { Template } from '../values/template.schema.js';

type Change = (template: Template) => Template;

const inCondition = (one: Condition, change: Change): Condition => ({ ...one, left: change(one.left), right: change(one.right) });

const inExtractor = <E extends Extractor>(extractor: E, change: Change): E =>
  extractor.beside ? { ...extractor, beside: change(extractor.beside) } : extractor;

/** What a check looks at, with its templates changed. */
export function changeChecked(one: Checked, change: Change): Checked {
  switch (one.kind) {
    case 'text':
      return { ...one, text: change(one.text) };
    case 'value':
      return { ...one, extractor: inExtractor(one.extractor, change), than: change(one.than) };
    case 'count':
      return { ...one, extractor: inExtractor(one.extractor, change) };
    case 'redirect':
      return { ...one, to: change(one.to) };
    case 'status':
    case 'size':
    case 'time':
      return one;
  }
}

const inCheck = (one: Check, change: Change): Check => ({ ...one, checked: changeChecked(one.checked, change) });

const inSocket = (use: SocketUse, change: Change): SocketUse =>
  'awaits' in use && use.awaits
    ? { ...use, awaits: { ...use.awaits, holds: use.awaits.holds.map((one) => changeChecked(one, change)) } }
    : use;

/** A step with all its own templates changed, those of its checks and conditions too; what a container holds stays as it is. */
export function changeTemplates<S extends Step>(step: S, change: Change): S;
export function changeTemplates(step: Step, change: Change): Step {
  switch (step.kind) {
    case 'request': {
      const { checks, socket } = step;
      return {
        ...step,
        url: change(step.url),
        headers: step.headers.map((one) => ({ ...one, value: change(one.value) })),
        body: step.body && change(step.body),
        ...(checks && { checks: checks.map((one) => inCheck(one, change)) }),
        ...(socket && { socket: inSocket(socket, change) }),
      };
    }
    case 'log':
      return { ...step, text: change(step.text) };
    case 'variable':
    case 'cookie':
      return { ...step, value: change(step.value) };
    case 'when':
      return { ...step, condition: inCondition(step.condition, change) };
    case 'repeat': {
      const { loop } = step;
      if (!loop || loop.kind === 'each-row') return step;
      return {
        ...step,
        loop:
          loop.kind === 'while'
            ? { ...loop, condition: inCondition(loop.condition, change) }
            : { ...loop, extractor: inExtractor(loop.extractor, change) },
      };
    }
    case 'pause':
    case 'comment':
    case 'code':
    case 'meet':
    case 'side-by-side':
      return step;
  }
}

/** Every template of a step, as `changeTemplates` knows them. */
export function templatesOf(step: Step): Template[] {
  const found: Template[] = [];
  changeTemplates(step, (template) => {
    found.push(template);
    return template;
  });
  return found;
}

/** Every template of a script: of its steps, and of the rows in which its handoffs are looked for. */
export const templatesOfScript = (script: Script): Template[] => [
  ...script.transactions.flatMap((one) => allSteps(one.steps).flatMap(templatesOf)),
  ...script.handoffs.flatMap(({ extractor }) => extractor.beside ?? []).map((piece): Template => [piece]),
];

/** A script with every template of its steps changed. */
export const changeAllTemplates = (script: Script, change: Change): Script => ({
  ...script,
  transactions: script.transactions.map((one) => ({ ...one, steps: changeSteps(one.steps, (step) => changeTemplates(step, change)) })),
});
