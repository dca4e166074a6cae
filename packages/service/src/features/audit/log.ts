import { type AuditEntry, type AuditLog, boundedCache, type Clock, newId } from '../../kernel/index.js';
import type { Feed } from '../events/index.js';
import { shownChange } from './shown.js';
import type { Store } from './store.js';

export interface LogOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly feed: Feed;
  /** Whether nothing that is sent in a space leaves: what is looked at there is a developer's own. */
  readonly isCapturing: (space: string) => boolean;
}

/** A page that shows an email asks for it several times: within this time that is one look, in milliseconds. */
const ONE_LOOK_MS = 5 * 60_000;
const MOST_LOOKS = 10_000;

/** The audit log, as requests are written to it. */
export function auditLog({ store, clock, feed, isCapturing }: LogOptions): AuditLog {
  const looks = boundedCache<string, number>(MOST_LOOKS);
  const rowOf = ({ actor, action, space, target, change, address }: AuditEntry) => ({
    at: clock.now(),
    actorKind: actor.kind,
    actorId: actor.id ?? null,
    actor: actor.name,
    action,
    space: space ?? null,
    target: target ?? null,
    change: shownChange(change),
    address,
  });

  return {
    write: (run) => store.write(run),

    covers: ({ audited }, { actor, space }) =>
      audited === 'reading' ? !isCapturing(space) : audited === 'people' ? actor.kind !== 'key' : audited === 'change',

    add(tx, entry) {
      const row = rowOf(entry);
      const seq = store.audit.add(tx, row);
      if (row.space === null || entry.isOwnRecord) return seq;
      store.events.append(tx, {
        id: newId('e', row.at),
        space: row.space,
        kind: 'audited',
        at: row.at,
        data: {
          entry: seq,
          who: { kind: row.actorKind, id: row.actorId ?? undefined, name: row.actor },
          action: row.action,
          target: row.target ?? undefined,
          change: row.change === null ? undefined : (JSON.parse(row.change) as unknown),
          address: row.address,
        },
      });
      tx.afterCommit(feed.reported);
      return seq;
    },

    setTarget(tx, seq, target) {
      store.audit.setTarget(tx, seq, target);
    },

    async addReading(entry) {
      const now = clock.elapsed();
      const key = JSON.stringify([entry.actor.kind, entry.actor.id, entry.space, entry.target, entry.address]);
      const last = looks.get(key);
      if (last !== undefined && now - last < ONE_LOOK_MS) return;
      await store.write((tx) => store.audit.add(tx, rowOf(entry)));
      looks.set(key, now);
    },
  };
}
