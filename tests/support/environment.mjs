// The environment of all tests but the console's: our own packages run outside of Jest's sandbox, where every access to a global is slow, and
// are loaded once for all suites of a worker.
import { TestEnvironment } from 'jest-environment-node';
import { forgetIds } from '../../packages/service/dist/kernel/ids.js';

/** What tests make, and compare with what the packages made. */
const SHARED = { Map, Set, Error, TypeError, RangeError, SyntaxError };

/** Modules by file. Loaded here, they get Node's own globals. */
const loaded = new Map();

export default class extends TestEnvironment {
  async setup() {
    await super.setup();
    forgetIds();
    Object.assign(this.global, SHARED);
    this.global[Symbol.for('verbalis.load')] = (file) => {
      if (!loaded.has(file)) loaded.set(file, import(file));
      return loaded.get(file);
    };
  }
}
