import { TestBed } from '@angular/core/testing';
import { masked } from '@sturdy/core';
import { of, throwError } from 'rxjs';
import { Api } from './api';
import { SecretMask } from './secret-mask';

function maskWith(secretsIn: jest.Mock): SecretMask {
  TestBed.configureTestingModule({ providers: [{ provide: Api, useValue: { secretsIn } }] });
  return TestBed.inject(SecretMask);
}

describe('Secrets on screen', () => {
  it('are masked by the names of their places, and by what is known of the take that is shown', async () => {
    const asked = jest.fn(() => of(['plum-4410']));
    const mask = maskWith(asked);
    expect([mask.value('password', 'x'), mask.value('entry', 'plum-4410')]).toEqual([masked, 'plum-4410']);
    await mask.look('t', [3], ['hash']);
    expect(asked).toHaveBeenCalledWith('t', [3], ['hash']);
    expect([mask.value('entry', 'plum-4410'), mask.value('lot', '17')]).toEqual([masked, '17']);
    expect(mask.text('entry=plum-4410&lot=17')).toBe(`entry=${masked}&lot=17`);
    expect(mask.url('/find?q=plum-4410')).toBe(`/find?q=${masked}`);
    expect(mask.line('X-Entry: plum-4410')).toBe(`X-Entry: ${masked}`);
    expect(mask.header(['X-Entry', 'plum-4410'])).toEqual(['X-Entry', masked]);
    expect(mask.knownIn({ texts: ['plum-4410'] })).toEqual({ texts: [masked] });
  });

  it('are asked for once, and again where the server did not answer', async () => {
    const asked = jest
      .fn()
      .mockReturnValueOnce(throwError(() => new Error('away')))
      .mockReturnValue(of(['plum-4410']));
    const mask = maskWith(asked);
    await mask.look('t', [3], []);
    expect(mask.text('plum-4410')).toBe('plum-4410');
    await mask.look('t', [3], []);
    await mask.look('t', [3], []);
    expect(mask.text('plum-4410')).toBe(masked);
    expect(asked).toHaveBeenCalledTimes(2);
  });
});
