import type { Client, Message } from '@verbalis/client';
import { BEHAVIOURS, type Behaviour, type World } from './prove-world.js';

/** A message that the service has accepted. */
export interface Offered {
  readonly id: string;
  readonly address: string;
  readonly behaviour: Behaviour;
}

/** What was promised, and what was found. */
export interface ProofReport {
  readonly messages: number;
  readonly kills: number;
  readonly pauses: number;
  readonly jumps: number;
  /** Accepted by the service, and never by the provider. */
  readonly lost: number;
  /** Emails beyond the first to one recipient. */
  readonly duplicates: number;
  /** Duplicates to recipients for whom no attempt is uncertain. */
  readonly unexplained: number;
  readonly uncertain: number;
  /** Deliveries that did not end. */
  readonly stuck: number;
  /** Deliveries that ended in another state than they must. */
  readonly wrong: number;
  /** What the server did with those, and the state that they have. */
  readonly wrongly?: readonly string[];
  readonly events: number;
  /** Events that did not arrive at the consumer. */
  readonly missing: number;
  /** Types of those. */
  readonly missed?: readonly string[];
  /** Deliveries whose events arrived in another order. */
  readonly disordered: number;
  readonly ok: boolean;
}

/** At least so large a part of the uncertain attempts must have been real: the other side had accepted what a kill interrupted. */
const REAL_PART = 1 / 3;
/** A proof fails when chance alone would give so few real ones less often than this. */
const LEAST_CHANCE = 1e-4;

/**
 * Whether uncertain attempts are as few as the promise has it. What a kill interrupts is chance, so a small number does not tell the share: the
 * probability of so few real ones is what counts (the lower tail of a binomial distribution).
 */
function isPlausible(uncertain: number, real: number): boolean {
  let [term, sum] = [(1 - REAL_PART) ** uncertain, 0];
  for (let k = 0; k <= Math.min(real, uncertain); k += 1) {
    sum += term;
    term *= ((uncertain - k) / (k + 1)) * (REAL_PART / (1 - REAL_PART));
  }
  return sum >= LEAST_CHANCE;
}

/** Everything that the service made public, oldest first. */
async function allEvents(
  client: Client,
): Promise<readonly { readonly id: string; readonly type: string; readonly subject?: string | undefined }[]> {
  const all: { readonly id: string; readonly type: string; readonly subject?: string | undefined }[] = [];
  for (let cursor: string | undefined, more = true; more;) {
    const page = await client.events.list({ limit: 200, cursor });
    all.push(...page.events);
    cursor = page.nextCursor;
    more = cursor !== undefined;
  }
  return all.reverse();
}

/** Holds what the service says against what the world has seen. */
export async function reconcile(
  client: Client,
  world: World,
  offered: readonly Offered[],
  counts: Pick<ProofReport, 'kills' | 'pauses' | 'jumps'>,
): Promise<ProofReport> {
  const sum = { lost: 0, duplicates: 0, unexplained: 0, uncertain: 0, stuck: 0, wrong: 0 };
  const wrongly = new Set<string>();
  for (const { id, address, behaviour } of offered) {
    const message: Message = await client.messages.get(id);
    const [delivery] = message.deliveries;
    const doubtful = delivery?.attempts.filter(({ outcome }) => outcome === 'uncertain').length ?? 0;
    const accepted = world.accepted(address);
    sum.uncertain += doubtful;
    sum.duplicates += Math.max(0, accepted - 1);
    sum.unexplained += Math.max(0, accepted - 1 - doubtful);
    if (delivery === undefined || delivery.state === 'queued' || delivery.state === 'delayed') sum.stuck += 1;
    else if (delivery.state !== BEHAVIOURS[behaviour]) {
      sum.wrong += 1;
      wrongly.add(`${behaviour}: ${delivery.state}`);
    }
    if (behaviour !== 'refuse' && accepted === 0) sum.lost += 1;
  }
  // What set the proof up is in the audit log, and in part older than the consumer.
  const known = (await allEvents(client)).filter(({ type }) => !type.startsWith('verbalis.audit.'));
  const arrived = new Set([...world.events.values()].flat());
  const absent = known.filter(({ id }) => !arrived.has(id));
  const missing = absent.length;
  const missed = [...new Set(absent.map(({ type }) => type))];
  const byDelivery = new Map<string, string[]>();
  for (const { id, subject = '' } of known) byDelivery.set(subject, [...(byDelivery.get(subject) ?? []), id]);
  const disordered = [...byDelivery].filter(
    ([subject, ids]) => subject !== '' && ids.filter((id) => arrived.has(id)).join() !== (world.events.get(subject) ?? []).join(),
  ).length;
  const ok =
    sum.lost === 0 &&
    sum.unexplained === 0 &&
    sum.stuck === 0 &&
    sum.wrong === 0 &&
    missing === 0 &&
    disordered === 0 &&
    isPlausible(sum.uncertain, sum.duplicates);
  return {
    messages: offered.length,
    ...counts,
    ...sum,
    ...(wrongly.size === 0 ? {} : { wrongly: [...wrongly] }),
    events: known.length,
    missing,
    ...(missing === 0 ? {} : { missed }),
    disordered,
    ok,
  };
}
