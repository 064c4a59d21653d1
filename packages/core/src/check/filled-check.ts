import type { Checked } from '../script/check.schema.js';
import type { Fill } from '../script/extract.js';
import type { Extractor } from '../script/extractor.schema.js';
import type { Template } from '../script/template.schema.js';

/** What a check looks at with its templates filled in, so that it can be asked where nothing of the script is known. */
export function filledCheck(checked: Checked, fill: Fill): Checked {
  const filled = (template: Template): Template => [{ kind: 'text', text: fill(template) }];
  const filledExtractor = (extractor: Extractor): Extractor =>
    extractor.beside ? { ...extractor, beside: filled(extractor.beside) } : extractor;
  switch (checked.kind) {
    case 'text':
      return { ...checked, text: filled(checked.text) };
    case 'value':
      return { ...checked, extractor: filledExtractor(checked.extractor), than: filled(checked.than) };
    case 'count':
      return { ...checked, extractor: filledExtractor(checked.extractor) };
    case 'redirect':
      return { ...checked, to: filled(checked.to) };
    case 'status':
    case 'size':
    case 'time':
      return checked;
  }
}
