/**
 * How a recipient left a topic or joined it again: the one click of a mail reader (RFC 8058), a page, an email to the address in List-Unsubscribe
 * (RFC 2369), an opt-out report (RFC 5965), a provider's callback, or an app or operator.
 */
export const CONSENT_WAYS = ['one-click', 'page', 'email', 'reply', 'report', 'callback', 'api'] as const;
export type ConsentWay = (typeof CONSENT_WAYS)[number];

/** The name under which consent to individual tracking is kept, beside the topics. */
export const ENGAGEMENT = 'engagement';

/** Something that became known of whether an address wants a topic. */
export interface ConsentFact {
  readonly id: string;
  readonly kind: 'left' | 'rejoined';
  /** When it happened, in milliseconds since the epoch. */
  readonly at: number;
  /** Left for a while: until when. What follows then is a fact of its own. */
  readonly until?: number | null | undefined;
}

/**
 * The fact that decides: the latest, and of two at the same time the one that leaves. Only the set counts, so order and repetition change nothing.
 * @returns undefined where nothing is known: then nobody has left
 */
export function decidingConsent<Fact extends ConsentFact>(facts: readonly Fact[]): Fact | undefined {
  return facts.reduce<Fact | undefined>((best, fact) => (best === undefined || isAfter(fact, best) ? fact : best), undefined);
}

function isAfter(a: ConsentFact, b: ConsentFact): boolean {
  if (a.at !== b.at) return a.at > b.at;
  return a.kind === b.kind ? a.id > b.id : a.kind === 'left';
}
