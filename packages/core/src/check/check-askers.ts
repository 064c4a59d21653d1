import type { CheckAsker } from './askers/check-asker.js';
import { countAsker } from './askers/count.js';
import { redirectAsker } from './askers/redirect.js';
import { sizeAsker } from './askers/size.js';
import { statusAsker } from './askers/status.js';
import { textAsker } from './askers/text.js';
import { timeAsker } from './askers/time.js';
import { valueAsker } from './askers/value.js';
import type { Checked, CheckKindName, checkKinds } from './check.schema.js';

/** How each kind of check is asked. */
const checkAskers: { [Kind in CheckKindName]: CheckAsker<(typeof checkKinds)[Kind]> } = {
  text: textAsker,
  value: valueAsker,
  count: countAsker,
  status: statusAsker,
  redirect: redirectAsker,
  size: sizeAsker,
  time: timeAsker,
};

/** How a check is asked. It is given that very check, so what its schema says of it holds. */
export const askerOf = (checked: Checked): CheckAsker => checkAskers[checked.kind];
