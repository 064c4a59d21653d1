import { operationsOf } from './operations.js';

class Takes {
  readonly #names = ['Take 1'];
  get count(): number {
    return this.#names.length;
  }
  take(at: number): Promise<string | undefined> {
    return Promise.resolve(this.#names[at]);
  }
}
class Scripts {
  script(): Promise<string> {
    return Promise.resolve('Book intake');
  }
}
class MoreTakes {
  take(): Promise<null> {
    return Promise.resolve(null);
  }
}

describe('the operations of the store', () => {
  it('are those of its repositories, each by its name', async () => {
    const operations = operationsOf([new Takes(), new Scripts()]);
    expect([...operations.keys()]).toEqual(['take', 'script']);
    expect(await operations.get('take')?.(0)).toBe('Take 1');
  });

  it('never have one name for two', () => {
    expect(() => operationsOf([new Takes(), new MoreTakes()])).toThrow('Two repositories have an operation take.');
  });
});
