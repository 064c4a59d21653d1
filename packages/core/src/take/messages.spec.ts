import { bodyKind, looksLikeId, pathAndQuery, pathShape, textShape } from './messages.js';

describe('shapes of addresses and titles', () => {
  it.each([
    ['/intakes/20418/bay', '/intakes/*/bay'],
    ['/desk/FsZxjkoHGkL', '/desk/*'],
    ['/a/0b9cf2a4-6d0e-4f6a-9a59-3f1f7c1f2e10?b=1&a=2', '/a/*?a&b'],
    ['/sign-in', '/sign-in'],
    ['/assets/application-v2.css', '/assets/application-v2.css'],
    ['/organisations/settings', '/organisations/settings'],
  ])('%s has the shape %s', (target, shape) => {
    expect(pathShape(target)).toBe(shape);
  });

  it('masks the moving words of a title', () => {
    expect(textShape('Intake IN-2026-0142 -  Yard')).toBe('Intake * - Yard');
  });

  it('tells ids from names', () => {
    expect(['7', '20418', 'a3f9c2d17b'].every(looksLikeId)).toBe(true);
    expect(['new', 'results', 'index.html', 'v2', ''].some(looksLikeId)).toBe(false);
  });

  it('keeps path and query as they stood on the wire', () => {
    expect(pathAndQuery('http://h:1/a%20b?c=%2F#d')).toBe('/a%20b?c=%2F');
    expect(pathAndQuery('http://h:1?c=1')).toBe('/?c=1');
  });

  it('knows media types by their structured suffix (RFC 6839)', () => {
    expect(['application/problem+json', 'image/svg+xml', 'text/html', 'image/png'].map(bodyKind)).toEqual([
      'json',
      'xml',
      'html',
      'binary',
    ]);
  });
});
