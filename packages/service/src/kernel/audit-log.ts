import { AsyncLocalStorage } from 'node:async_hooks';
import type Sqlite from 'better-sqlite3';
import type { Actor, Caller } from './access.js';
import type { Call, Endpoint } from './endpoint.js';
import type { Tx } from './transaction.js';

/** What a request did, as the audit log keeps it. */
export interface AuditEntry {
  readonly actor: Actor;
  /** The name of the endpoint: "keys.revoke". */
  readonly action: string;
  /** Undefined for what concerns the whole service. */
  readonly space: string | undefined;
  /** What it was done to: the parameters of the path, or the id of what was made. */
  readonly target: string | undefined;
  /** Whether what was made has events of its own: then the entry is no event. */
  readonly isOwnRecord: boolean;
  /** What was asked for. Secrets and the contents of emails are left out by the log. */
  readonly change: unknown;
  /** IP address that the request came from. */
  readonly address: string;
}

/** Keeps who did what. The feature behind it decides what is kept. */
export interface AuditLog {
  /** Whether a request of this caller is kept. */
  readonly covers: (endpoint: AuditedEndpoint, caller: Caller) => boolean;
  /** Adds an entry. @returns its number */
  readonly add: (tx: Tx, entry: AuditEntry) => number;
  /** Says what an entry was about, where that is known only afterwards. */
  readonly setTarget: (tx: Tx, seq: number, target: string) => void;
  /** Adds the entry of a reading, before anything is shown. */
  readonly addReading: (entry: AuditEntry) => Promise<void>;
  readonly write: <T>(run: (tx: Tx) => T) => Promise<T>;
}

export type AuditedEndpoint = Pick<Endpoint<unknown>, 'name' | 'scope' | 'audited'>;

const current = new AsyncLocalStorage<Act>();
/** Requests that are being answered and have an act. */
let acts = 0;
const counters = new WeakMap<Sqlite.Database, Sqlite.Statement>();

/** Rows that a connection has changed since it was opened. */
function changesOf(tx: Tx): number {
  const { raw } = tx.connection;
  const counter = counters.get(raw) ?? raw.prepare('select total_changes()').pluck();
  counters.set(raw, counter);
  return counter.get() as number;
}

/** One request that may change something: its entry is written by the first of its transactions that does. */
class Act {
  #entry: AuditEntry;
  #seq: number | undefined;
  #hasAsked = false;
  #hasEnded = false;

  constructor(
    private readonly log: AuditLog,
    entry: AuditEntry,
  ) {
    this.#entry = entry;
  }

  /** The transaction, with the entry of this request in it when it changes something. */
  around<T>(run: (tx: Tx) => T): (tx: Tx) => T {
    // Work that a request has started and that goes on after it is not the request's.
    if (this.#hasEnded) return run;
    this.#hasAsked = true;
    return (tx) => {
      if (this.#seq !== undefined || this.#hasEnded) return run(tx);
      const before = changesOf(tx);
      const value = run(tx);
      if (changesOf(tx) > before) {
        tx.afterFailure(() => {
          this.#seq = undefined;
        });
        this.#seq = this.log.add(tx, this.#entry);
      }
      return value;
    };
  }

  complete(more: Partial<Pick<AuditEntry, 'actor' | 'target' | 'space' | 'change'>>): void {
    this.#entry = { ...this.#entry, ...more };
  }

  /** The request was answered. @param made the id or name of what it made, if any */
  async end(made: string | undefined): Promise<void> {
    this.#hasEnded = true;
    const { log } = this;
    const seq = this.#seq;
    if (seq === undefined) {
      // It changed something that is not a record: a file, or another system.
      const entry = { ...this.#entry, target: this.#entry.target ?? made };
      if (!this.#hasAsked) await log.write((tx) => log.add(tx, entry));
      return;
    }
    if (this.#entry.target === undefined && made !== undefined)
      await log.write((tx) => {
        log.setTarget(tx, seq, made);
      });
  }

  /** It was refused, or failed. */
  abandon(): void {
    this.#hasEnded = true;
  }
}

/** Puts the audit entry of the request that is being answered into its transaction. */
export function inAct<T>(run: (tx: Tx) => T): (tx: Tx) => T {
  const act = current.getStore();
  return act === undefined ? run : act.around(run);
}

/** Says more of the request that is being answered than its endpoint shows: who it is, where it finds that out itself. */
export function completeAct(more: Partial<Pick<AuditEntry, 'actor' | 'target' | 'space' | 'change'>>): void {
  current.getStore()?.complete(more);
}

/** Keeps work out of the request that started it. */
export function outsideActs<T>(run: () => T): T {
  return current.exit(run);
}

type AnyCall = Call<unknown, unknown, unknown, unknown>;

function targetOf(params: unknown): string | undefined {
  const values = Object.values((params ?? {}) as Record<string, unknown>);
  return values.length === 0 ? undefined : values.map(String).join(' ');
}

function changeOf({ query, body }: AnyCall): unknown {
  if (body instanceof Uint8Array) return { ...(query as object | undefined), bytes: body.length };
  const both = { ...(query as object | undefined), ...(body as object | undefined) };
  return Object.keys(both).length === 0 ? undefined : both;
}

/** The id or the name of what an answer shows. */
function madeOf(result: unknown): string | undefined {
  const body = typeof result === 'object' && result !== null && 'more' in result ? (result as { body?: unknown }).body : result;
  if (typeof body !== 'object' || body === null) return undefined;
  const { id, name, number } = body as Readonly<Record<string, unknown>>;
  const made = id ?? name ?? number;
  return typeof made === 'string' || typeof made === 'number' ? String(made) : undefined;
}

/**
 * Answers a request whose endpoint is audited: what it changes and the entry that says so are written together or not at all; a reading is
 * written before anything is shown.
 */
export async function audited(
  log: AuditLog | undefined,
  { endpoint, address }: { readonly endpoint: AuditedEndpoint; readonly address: string },
  call: AnyCall,
  run: () => unknown,
): Promise<unknown> {
  if (log === undefined || endpoint.audited === 'nothing' || !log.covers(endpoint, call.caller)) return run();
  const entry: AuditEntry = {
    actor: call.caller.actor,
    action: endpoint.name,
    space: call.caller.space === '' ? undefined : call.caller.space,
    target: targetOf(call.params),
    isOwnRecord: endpoint.audited === 'people',
    change: changeOf(call),
    address,
  };
  if (endpoint.audited === 'reading') {
    await log.addReading(entry);
    return run();
  }
  const act = new Act(log, entry);
  acts += 1;
  try {
    const result = await current.run(act, () => Promise.resolve().then(run));
    await act.end(madeOf(result));
    return result;
  } finally {
    act.abandon();
    acts -= 1;
    // While it is in use, every promise of the process costs more (Node.js 20); most requests have no act.
    if (acts === 0) current.disable();
  }
}
