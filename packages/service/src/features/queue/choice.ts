import type { ChoiceInput, RouteEntry } from '@verbalis/core/delivery';
import type { WaitingDelivery } from '../messages/index.js';

/** Providers that are known to be unfit for a delivery. */
export function unfitOf({ unfit }: Pick<WaitingDelivery, 'unfit'>): readonly string[] {
  return unfit === null ? [] : unfit.split(' ');
}

type Past = Pick<WaitingDelivery, 'senderDomain' | 'avoid' | 'unfit' | 'unsettled' | 'unsettledAt'>;

export interface ChoiceRules {
  readonly route: readonly RouteEntry[];
  /** What may have been sent goes to another provider after so long, in milliseconds. */
  readonly elsewhereMs: number;
  readonly now: number;
}

/** The provider that a delivery must stay with, since it may have it; undefined where any may be asked. */
export function boundTo({ unsettled, unsettledAt }: Pick<Past, 'unsettled' | 'unsettledAt'>, { route, elsewhereMs, now }: ChoiceRules) {
  if (unsettled === null || now - (unsettledAt ?? now) >= elsewhereMs) return undefined;
  // A provider that is no longer in the route cannot be asked.
  return route.some(({ provider }) => provider === unsettled) ? unsettled : undefined;
}

/** What a delivery's own past says about the choice of a provider. */
export function choiceOf(row: Past, rules: ChoiceRules): Pick<ChoiceInput, 'sender' | 'avoid' | 'unfit' | 'only'> {
  const only = boundTo(row, rules);
  // One that has lost its answer for so long is asked last.
  const avoid = row.avoid ?? (only === undefined ? row.unsettled : undefined) ?? undefined;
  return { sender: row.senderDomain, avoid, unfit: unfitOf(row), only };
}
