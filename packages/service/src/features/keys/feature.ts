import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import { bearerAccess, type BearerAccess, type SpaceSummaries } from './access.js';
import { keyEndpoints } from './endpoints.js';
import type { Guesses } from './guesses.js';
import { keyRetention } from './retention.js';
import type { Store } from './store.js';
import type { NoteUse } from './use.js';

interface Options {
  readonly store: Store;
  readonly operatorSecret: string;
  readonly noteUse: NoteUse;
  readonly spaces: SpaceSummaries;
  /** Wrong secrets, by the address that they come from. */
  readonly guesses: Guesses;
}

/** Keys of spaces, and the operator's secret: what programs come with. */
export function openKeys({ clock }: Runtime, options: Options): { readonly bearer: BearerAccess; readonly feature: Feature } {
  const deps = { ...options, clock };
  return { bearer: bearerAccess(deps), feature: { name: 'keys', endpoints: serve(keyEndpoints, deps), retention: keyRetention() } };
}
