import { serve, type Access, type Feature, type Runtime } from '../../kernel/index.js';
import { Guesses, type BearerAccess, type SpaceSummaries } from '../keys/index.js';
import type { Acceptor } from '../messages/index.js';
import { accessBy } from './access.js';
import { peopleEndpoints } from './endpoints.js';
import { signInLinks } from './links.js';
import type { PeopleSettings } from './model.js';
import { openidEndpoints, openidProvider } from './openid.js';
import { peopleRetention } from './retention.js';
import { noteSeen } from './seen.js';
import { signInEndpoints } from './signing-in.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly settings: PeopleSettings;
  readonly accept: Acceptor;
  readonly bearer: BearerAccess;
  readonly operatorSecret: string;
  /** Wrong secrets, by the address that they come from. */
  readonly guesses: Guesses;
  readonly spaces: SpaceSummaries;
}

export interface OpenedPeople {
  readonly access: Access;
  readonly feature: Feature;
  /** Makes an address that opens the console with the operator's rights, once and for 15 minutes. */
  readonly signInLink: (base: string) => Promise<string>;
}

/** The space that sends links: one from which email reaches everybody. */
function sendingSpace(spaces: SpaceSummaries, wanted: string | undefined): string | undefined {
  const able = [...spaces].filter(([, { mode, allowed }]) => mode === 'deliver' && allowed === undefined).map(([name]) => name);
  return wanted === undefined ? able[0] : able.find((name) => name === wanted);
}

/** Who may use the console and the API as a person. */
export function openPeople({ clock, log, publicUrl }: Runtime, options: Options): OpenedPeople {
  const { store, settings, accept, spaces } = options;
  const links = signInLinks({ store, clock, accept, space: sendingSpace(spaces, settings.space) });
  const deps = { ...options, clock, log, publicUrl, links, asks: new Guesses(), openidName: settings.openid?.name };
  const openid = { store, clock, log, publicUrl, settings: settings.openid, provider: openidProvider(settings.openid) };
  return {
    access: accessBy({ ...deps, noteSeen: noteSeen({ store, clock, log }) }),
    signInLink: links.forOperator,
    feature: {
      name: 'people',
      endpoints: [...serve(peopleEndpoints, deps), ...serve(signInEndpoints, deps), ...serve(openidEndpoints, openid)],
      retention: peopleRetention(store),
    },
  };
}
