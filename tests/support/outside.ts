import { createRequire } from 'node:module';

/**
 * Loads a package outside of Jest's sandbox, once for all suites of a worker: inside, each suite reads and compiles it again.
 * @param path its file below node_modules
 */
export async function outside<T>(path: string): Promise<T> {
  const load = (globalThis as Readonly<Record<symbol, unknown>>)[Symbol.for('verbalis.load')] as ((file: string) => Promise<T>) | undefined;
  if (load === undefined) throw new Error(`${path} is loaded by the environment of tests/support/environment.mjs.`);
  return load(createRequire(import.meta.url).resolve(`../../node_modules/${path}`));
}
