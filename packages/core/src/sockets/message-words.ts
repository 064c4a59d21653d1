import { messageType } from './message-type.js';

/** A word with which a message says what kind of message it is. */
export interface KindWord {
  /** Where it stands: a place of a JSON message as JSONPath (RFC 9535), or null for the beginning of a text. */
  path: string | null;
  word: string;
}

const tellingName = /^(type|event|kind|action|op|method|topic|channel|cmd|command|message_?type|t|e)$/i;
const isWord = (value: unknown): value is string => typeof value === 'string' && /^[A-Za-z][A-Za-z_.:/-]{0,48}$/.test(value);
const mostWords = 2;

/** The words by which messages of one kind are told from those of others; empty where it has none. */
export function kindWords(text: string): KindWord[] {
  if (messageType('text', text) === 'application/json') {
    const value = JSON.parse(text) as unknown;
    if (Array.isArray(value)) return isWord(value[0]) ? [{ path: '$[0]', word: value[0] }] : [];
    return Object.entries(value as Record<string, unknown>)
      .flatMap(([name, member]) => (tellingName.test(name) && isWord(member) ? [{ path: `$.${name}`, word: member }] : []))
      .slice(0, mostWords);
  }
  // Frames of text protocols begin with a command, or with a number and the name of an event.
  const begin = /^(?:\d{0,4}\["[A-Za-z][\w.:-]{0,48}"|[A-Za-z][A-Za-z_-]{1,30}(?=[\s:,;|(]|$))/.exec(text)?.[0];
  return begin === undefined ? [] : [{ path: null, word: begin }];
}
