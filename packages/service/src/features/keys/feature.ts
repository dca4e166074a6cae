import { serve, type Access, type Feature, type Runtime } from '../../kernel/index.js';
import { accessBy, type SpaceSummary } from './access.js';
import { Guesses } from './guesses.js';
import { keyEndpoints, signInLink } from './endpoints.js';
import { keyRetention } from './retention.js';
import type { Store } from './store.js';
import type { NoteUse } from './use.js';

interface Options {
  readonly store: Store;
  readonly operatorSecret: string;
  readonly noteUse: NoteUse;
  readonly spaces: ReadonlyMap<string, SpaceSummary>;
}

export interface OpenedKeys {
  readonly access: Access;
  readonly feature: Feature;
  /** Makes an address that opens the console, once and for ten minutes. */
  readonly signInLink: (base: string) => Promise<string>;
}

/** Who may do what: keys of spaces, the operator's secret, sessions of the console. */
export function openKeys({ clock, publicUrl }: Runtime, options: Options): OpenedKeys {
  const deps = { ...options, clock, publicUrl, guesses: new Guesses() };
  const feature = { name: 'keys', endpoints: serve(keyEndpoints, deps), retention: keyRetention(options.store) };
  return { access: accessBy(deps), feature, signInLink: (base) => signInLink(deps, base) };
}
