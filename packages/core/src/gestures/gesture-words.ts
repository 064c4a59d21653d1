import { cutText } from '../cut-text.js';
import type { Act, Gesture } from '../take/gesture.schema.js';

/** Signs of a text that stand in a sentence. */
const mostShown = 60;
const quoted = (text: string): string => `“${cutText(text, mostShown)}”`;

/** A gesture as a sentence of what is to be done: `Type “Frozen cod” into the field “Goods”`. */
export function gestureWords({ act, aim }: Pick<Gesture, 'act' | 'aim'>): string {
  return actWords(act, aim ? `the ${aim.words}` : 'the page');
}

function actWords(act: Act, element: string): string {
  switch (act.kind) {
    case 'go-to':
      return `Go to ${cutText(act.address, 2 * mostShown)}`;
    case 'go-back':
      return 'Go back';
    case 'click':
      return `Click ${element}`;
    case 'double-click':
      return `Double-click ${element}`;
    case 'type':
      return act.isSecret
        ? `Type a password into ${element}`
        : act.text === ''
          ? `Empty ${element}`
          : `Type ${quoted(act.text)} into ${element}`;
    case 'choose':
      return act.options.length === 0
        ? `Choose nothing in ${element}`
        : `Choose ${act.options.map(({ label }) => quoted(label)).join(', ')} in ${element}`;
    case 'tick':
      return `${act.isOn ? 'Tick' : 'Untick'} ${element}`;
    case 'press':
      return `Press ${act.key} in ${element}`;
    case 'upload':
      return `Upload ${act.files.map(quoted).join(', ')} with ${element}`;
    case 'answer':
      return `Answer the dialog with ${act.isYes ? 'yes' : 'no'}${act.text === '' ? '' : ` and ${quoted(act.text)}`}`;
  }
}
