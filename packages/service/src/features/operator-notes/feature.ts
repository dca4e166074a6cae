import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import type { Acceptor } from '../messages/index.js';
import { operatorNoteEndpoints } from './endpoints.js';
import { operatorNoteRetention } from './retention.js';
import { senderFaultNotes } from './sender-faults.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly accept: Acceptor;
  readonly operators: ReadonlyMap<string, string | undefined>;
}

/** Email to the operator of a space about what needs a person. */
export function openOperatorNotes({ clock, log, workers, ages }: Runtime, { store, accept, operators }: Options): Feature {
  return {
    name: 'operator-notes',
    endpoints: serve(operatorNoteEndpoints, { accept, operators }),
    running: [senderFaultNotes({ store, workers, clock, accept, log, operators })],
    retention: operatorNoteRetention(store, ages),
  };
}
