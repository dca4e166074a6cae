import type { Fact, FactKind, FactSource, State } from './fact.js';

/**
 * Which fact wins, whatever came first. A delivery's state is that of its highest fact; two of one height agree on the state.
 * Only a set is looked at, so order and repetition change nothing.
 */
const PRECEDENCE: readonly {
  readonly kind: FactKind;
  readonly source?: FactSource;
  readonly state: State;
  readonly because: string;
}[] = [
  {
    kind: 'complained',
    state: 'complained',
    because: 'Somebody read it and minded: that says more than any earlier word about its delivery.',
  },
  {
    kind: 'failed',
    source: 'return',
    state: 'failed',
    because: 'A late failure overrides an earlier success: the server that took it gave it up after all.',
  },
  { kind: 'delivered', state: 'delivered', because: 'The mailbox has it; a refusal of another attempt does not take it back.' },
  { kind: 'delayed', source: 'return', state: 'delayed', because: 'A server that took it says that it still waits.' },
  { kind: 'relayed', state: 'accepted', because: 'It was passed on to a system that gives no reports.' },
  { kind: 'accepted', state: 'accepted', because: 'A provider took it. What was asked or decided meanwhile came too late.' },
  { kind: 'failed', state: 'failed', because: 'A provider refused it for good, or the attempts are used up.' },
  { kind: 'expired', state: 'expired', because: 'Its deadline passed before a provider took it.' },
  { kind: 'canceled', state: 'canceled', because: 'It was called back before the hand-over.' },
  { kind: 'withheld', state: 'withheld', because: 'It must not be sent to this address.' },
  { kind: 'delayed', state: 'delayed', because: 'An attempt was put off; another follows.' },
];

function heightOf(fact: Pick<Fact, 'kind' | 'source'>): number {
  return PRECEDENCE.findIndex((row) => row.kind === fact.kind && (row.source === undefined || row.source === fact.source));
}

/** The fact that decides, if there is any: the highest; among equals the latest, then the one with the larger id. */
export function deciding<F extends Fact>(facts: readonly F[]): F | undefined {
  let best: F | undefined;
  let height = Number.POSITIVE_INFINITY;
  for (const fact of facts) {
    const at = heightOf(fact);
    if (at === -1) continue;
    const later = best !== undefined && at === height && (fact.at > best.at || (fact.at === best.at && fact.id > best.id));
    if (at < height || later) [best, height] = [fact, at];
  }
  return best;
}

/** The state of a delivery: a pure function of the set of its facts. */
export function stateOf(facts: readonly Fact[]): State {
  const fact = deciding(facts);
  return fact === undefined ? 'queued' : (PRECEDENCE[heightOf(fact)]?.state ?? 'queued');
}

const FINAL: ReadonlySet<State> = new Set<State>(['accepted', 'delivered', 'failed', 'complained', 'withheld', 'expired', 'canceled']);

/** Whether the service has nothing left to do for a delivery (returns may still change its state). */
export function isSettled(facts: readonly Fact[]): boolean {
  // A delay told by a later server is not ours to attempt again.
  return facts.some((fact) => fact.kind !== 'delayed') && (FINAL.has(stateOf(facts)) || facts.some((fact) => fact.kind === 'accepted'));
}
