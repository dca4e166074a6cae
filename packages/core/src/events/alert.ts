/** A rule over what happens in the last minutes. */
export interface AlertRule {
  readonly name: string;
  /** In a window of so many minutes. */
  readonly minutes: number;
  /** Fires above this: per cent of the hand-overs in the same window, a number of events, or seconds that the oldest mail waits. */
  readonly over: { readonly percent: number } | { readonly count: number } | { readonly queueSeconds: number };
  /** Says nothing below so many events in the window, so that one failure in the night is no rate. */
  readonly least: number;
}

/** What was counted in a window. */
export interface AlertCount {
  /** Events that the rule is about. */
  readonly events: number;
  /** Hand-overs that were decided, well or not, in the same window. */
  readonly handovers: number;
  /** Seconds that the oldest due mail waits. */
  readonly queueSeconds: number;
}

/** An alert is over when its value has come down to this part of what fired it: at the edge it would fire and end all the time. */
const OVER_AT = 0.7;

/**
 * The value that a rule looks at, or undefined where too little has happened. Late bounces may outnumber the emails that go out at the time;
 * they are counted as part of themselves then, so that no rate is above a hundred.
 */
export function alertValue(rule: AlertRule, { events, handovers, queueSeconds }: AlertCount): number | undefined {
  if ('queueSeconds' in rule.over) return queueSeconds;
  if (events < rule.least) return undefined;
  if ('count' in rule.over) return events;
  return (100 * events) / Math.max(handovers, events, 1);
}

/** Whether a rule fires, given whether it did before (hysteresis). */
export function isFiring(rule: AlertRule, count: AlertCount, { wasFiring }: { readonly wasFiring: boolean }): boolean {
  const value = alertValue(rule, count);
  if (value === undefined) return false;
  const limit = 'percent' in rule.over ? rule.over.percent : 'count' in rule.over ? rule.over.count : rule.over.queueSeconds;
  return value > (wasFiring ? limit * OVER_AT : limit);
}
