import fc from 'fast-check';
import { syncStep, type FileState } from './folder-sync.js';

const base = { revision: 'r1', digest: 'd1' };
const file = (change: Partial<FileState>): FileState => ({
  path: 'a.yaml',
  base,
  revision: 'r1',
  digest: 'd1',
  isWritten: true,
  ...change,
});

describe('a file that is kept equal in product and folder', () => {
  it.each<[string, Partial<FileState>, ReturnType<typeof syncStep>]>([
    ['nothing changed', {}, null],
    ['the product changed', { revision: 'r2' }, 'fetch'],
    ['the folder changed', { digest: 'd2' }, 'send'],
    ['both changed', { revision: 'r2', digest: 'd2' }, 'conflict'],
    ['both changed to the same text', { revision: 'd2', digest: 'd2' }, null],
    ['the folder has none yet', { base: null, digest: null }, 'fetch'],
    ['both have one, and were never equal', { base: null }, 'conflict'],
    ['it was deleted in the folder', { digest: null }, 'gone'],
    ['it was deleted in the folder, and the product changed', { revision: 'r2', digest: null }, 'fetch'],
    ['the product has it no more', { revision: null }, 'remove'],
    ['the product has it no more, and the folder changed', { revision: null, digest: 'd2' }, 'kept'],
    ['nobody has it any more', { revision: null, digest: null }, null],
    ['the folder has one that the product does not know', { base: null, revision: null }, 'new'],
    ['a take was changed in the folder', { digest: 'd2', isWritten: false }, 'foreign'],
    ['a note of somebody lies beside', { base: null, revision: null, isWritten: false }, null],
  ])('%s', (_what, change, step) => {
    expect(syncStep(file(change))).toBe(step);
  });

  it('is never overwritten or removed where its text is nowhere else', () => {
    const text = fc.option(fc.constantFrom('a', 'b', 'c'));
    fc.assert(
      fc.property(
        fc.option(fc.record({ revision: fc.constantFrom('a', 'b'), digest: fc.constantFrom('a', 'b') })),
        text,
        text,
        (known, revision, digest) => {
          const step = syncStep(file({ base: known, revision, digest }));
          if (revision !== null && revision === digest) {
            expect(step).toBeNull();
            return;
          }
          const folderChanged = digest !== null && digest !== known?.digest;
          const productChanged = revision !== null && revision !== known?.revision;
          // A text of the folder that was never in the product is not written over, and one of the product that was never in the folder neither.
          if (folderChanged) expect(['send', 'conflict', 'kept', 'new']).toContain(step);
          if (productChanged && folderChanged) expect(step).toBe('conflict');
          if (step === 'send') expect(productChanged).toBe(false);
          if (step === 'remove') expect(folderChanged).toBe(false);
        },
      ),
    );
  });
});
