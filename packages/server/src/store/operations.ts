/** An operation of the store. */
export type Operation = (...args: unknown[]) => Promise<unknown>;

/**
 * The operations of some repositories by their names. Throws where two have one of the same name: which of them was meant nobody could tell from its
 * call.
 */
export function operationsOf(repositories: readonly object[]): Map<string, Operation> {
  const operations = new Map<string, Operation>();
  for (const repository of repositories)
    for (const name of Object.getOwnPropertyNames(Object.getPrototypeOf(repository))) {
      const method: unknown = Reflect.get(repository, name);
      if (name === 'constructor' || typeof method !== 'function') continue;
      if (operations.has(name)) throw new Error(`Two repositories have an operation ${name}. Rename one of them.`);
      operations.set(name, (method as Operation).bind(repository));
    }
  return operations;
}
