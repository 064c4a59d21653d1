import fc from 'fast-check';
import { cutText, textStart } from './index.js';

describe('a text that is cut', () => {
  it('keeps what is short, and says where something is missing', () => {
    expect(cutText('Peas', 4)).toBe('Peas');
    expect(cutText('Peas and beans', 4)).toBe('Peas…');
    expect(textStart('Peas and beans', 4)).toBe('Peas');
  });

  it('is never cut through a sign of two units (Unicode 3.9, D73: U+1F69A is D83D DE9A)', () => {
    expect(cutText('🚚🚚', 3)).toBe('🚚…');
    expect(cutText('a🚚', 2)).toBe('a…');
    expect(cutText('🚚', 1)).toBe('…');
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), fc.nat(30), (text, length) => {
        const cut = textStart(text, length);
        expect(text.startsWith(cut)).toBe(true);
        expect(() => encodeURIComponent(cut)).not.toThrow();
        expect(cut.length).toBeLessThanOrEqual(length);
      }),
    );
  });
});
