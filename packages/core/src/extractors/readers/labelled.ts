import { labelledTexts } from '../../answers/labels.js';
import type { ExtractorReader } from '../kinds/extractor-kind.js';
import type { labelled } from '../kinds/labelled.js';

/** Reads what labels of a page stand for. */
export const labelledReader: ExtractorReader<typeof labelled> = {
  find: ({ label }, answer, beside) => labelledTexts(answer, label).filter(({ row }) => beside === undefined || row.includes(beside)),
};
