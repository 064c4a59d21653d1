import { actionKindOf, isAction } from '../actions/action-kinds.js';
import { changeCondition } from '../check/check-templates.js';
import { changeExtractor, type ChangeTemplate } from '../check/kinds/check-kind.js';
import type { Template } from '../values/template.schema.js';
import type { Script } from './script.schema.js';
import { allSteps, changeSteps, type Step } from './step.schema.js';

/** A step with all its own templates changed, those of its checks and conditions too; what a container holds stays as it is. */
export function changeTemplates<S extends Step>(step: S, change: ChangeTemplate): S;
export function changeTemplates(step: Step, change: ChangeTemplate): Step {
  if (isAction(step)) return actionKindOf(step).changeTemplates(step, change);
  switch (step.kind) {
    case 'log':
      return { ...step, text: change(step.text) };
    case 'variable':
    case 'cookie':
      return { ...step, value: change(step.value) };
    case 'when':
      return { ...step, condition: changeCondition(step.condition, change) };
    case 'repeat': {
      const { loop } = step;
      if (!loop || loop.kind === 'each-row') return step;
      return {
        ...step,
        loop:
          loop.kind === 'while'
            ? { ...loop, condition: changeCondition(loop.condition, change) }
            : { ...loop, extractor: changeExtractor(loop.extractor, change) },
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
  ...script.transactions.flatMap((transaction) => allSteps(transaction.steps).flatMap(templatesOf)),
  ...script.handoffs.flatMap(({ extractor }) => extractor.beside ?? []).map((piece): Template => [piece]),
];

/** A script with every template of its steps changed. */
export const changeAllTemplates = (script: Script, change: ChangeTemplate): Script => ({
  ...script,
  transactions: script.transactions.map((transaction) => ({
    ...transaction,
    steps: changeSteps(transaction.steps, (step) => changeTemplates(step, change)),
  })),
});
