import fc from 'fast-check';
import { readDocument, readText, storedJson, storedText } from './stored-text.js';

/** Any sequence of UTF-16 units, halves of pairs, NUL and the escape among them. */
const units = fc
  .array(fc.oneof(fc.nat(0xffff), fc.constantFrom(0, 0xf8fe, 0xd83d, 0xde9a, 0x30)), { maxLength: 40 })
  .map((codes) => String.fromCharCode(...codes));
const document = fc.letrec<{ value: unknown }>((tie) => ({
  value: fc.oneof(
    units,
    fc.integer(),
    fc.constant(null),
    fc.boolean(),
    fc.array(tie('value'), { maxLength: 4 }),
    fc.dictionary(units, tie('value'), { maxKeys: 4 }),
  ),
})).value;

describe('texts at the gate of the store', () => {
  it('become such as PostgreSQL holds, and come back as they were', () => {
    fc.assert(
      fc.property(units, (text) => {
        const stored = storedText(text);
        expect(stored).not.toContain('\u0000');
        expect(() => encodeURIComponent(stored)).not.toThrow();
        expect(readText(stored)).toBe(text);
      }),
    );
  });

  it('within documents too, in names and values, however deep', () => {
    fc.assert(
      fc.property(document, (value) => {
        const json = storedJson(value);
        expect(json).not.toMatch(/(?<!\\)(\\\\)*\\u(0000|d[89a-f][0-9a-f]{2})/i);
        expect(readDocument(JSON.parse(json))).toEqual(JSON.parse(JSON.stringify(value)));
      }),
    );
  });
});
