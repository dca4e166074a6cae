import type { DecidingFact } from './fact.js';
import { PRECEDENCE, STATE_TABLE, type State } from './states.js';

function heightOf(fact: Pick<DecidingFact, 'kind' | 'source'>): number {
  return PRECEDENCE.findIndex((row) => row.kind === fact.kind && (row.source === undefined || row.source === fact.source));
}

/** The fact that decides, if there is any: the highest; among equals the latest, then the one with the larger id. */
export function deciding<F extends DecidingFact>(facts: readonly F[]): F | undefined {
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
export function stateOf(facts: readonly DecidingFact[]): State {
  const fact = deciding(facts);
  return fact === undefined ? 'queued' : (PRECEDENCE[heightOf(fact)]?.state ?? 'queued');
}

/** Whether the service has nothing left to do for a delivery (returns may still change its state). */
export function isSettled(facts: readonly DecidingFact[]): boolean {
  // A delay told by a later server is not ours to attempt again.
  return (
    facts.some((fact) => fact.kind !== 'delayed') && (STATE_TABLE[stateOf(facts)].isFinal || facts.some((fact) => fact.kind === 'accepted'))
  );
}
