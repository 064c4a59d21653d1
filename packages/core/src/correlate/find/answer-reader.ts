import type { AnswerText } from '../../answers/response-view.js';
import { isSpeltId, spelling } from './spelling.js';
import { receivedValues, type ReceivedValue, type Wants } from './received-values.js';
import { Wanted, type WantedData } from './wanted.js';

/** Reads from answers what is looked for. Answers are read one by one and in any order, so several threads can share them. */
export class AnswerReader {
  readonly #wants: Wants;

  constructor(data: WantedData) {
    const wanted = Wanted.from(data);
    const speltIds = new Set([...wanted.strong()].filter(isSpeltId).map(spelling));
    this.#wants = {
      has: (value, name) => wanted.has(value, name) || (speltIds.size > 0 && isSpeltId(value) && speltIds.has(spelling(value))),
      mayBeIn: (text) => wanted.mayBeIn(text),
      mayBeAnywhereIn: (body, from, to) => wanted.mayBeAnywhereIn(body, from, to),
    };
  }

  read(view: AnswerText): ReceivedValue[] {
    return receivedValues(view, this.#wants);
  }
}
