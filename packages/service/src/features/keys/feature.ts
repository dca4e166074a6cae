import { serve, type Access, type Feature, type Runtime } from '../../kernel/index.js';
import { accessBy, type SpaceSummary } from './access.js';
import { keyEndpoints } from './endpoints.js';
import { sessionRetention } from './retention.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly operatorSecret: string;
  readonly spaces: ReadonlyMap<string, SpaceSummary>;
}

/** Who may do what: keys of spaces, the operator's secret, sessions of the console. */
export function openKeys({ clock, publicUrl }: Runtime, options: Options): { readonly access: Access; readonly feature: Feature } {
  const deps = { ...options, clock, secure: publicUrl?.startsWith('https:') ?? false, wrong: [] };
  const feature = { name: 'keys', endpoints: serve(keyEndpoints, deps), retention: sessionRetention(options.store) };
  return { access: accessBy(deps), feature };
}
