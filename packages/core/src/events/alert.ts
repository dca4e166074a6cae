/** A rule over what happens in the last minutes. */
export interface AlertRule {
  readonly name: string;
  /** In a window of so many minutes. */
  readonly minutes: number;
  /**
   * Fires above this: per cent of the hand-overs in the same window, a number of events, or seconds that the oldest mail waits; or below this
   * number of events, where something is missing.
   */
  readonly over: { readonly percent: number } | { readonly count: number } | { readonly queueSeconds: number } | { readonly fewer: number };
  /** When something must be there for it not to be missing; always when left out. */
  readonly hours?: Hours | undefined;
  /** Stays silent below so many events in the window, so that one failure at night is not a rate. */
  readonly least: number;
}

/** Hours of the day, as clocks of a time zone show them: "06:00" to "22:00"; over midnight where the end comes before the beginning. */
export interface Hours {
  readonly from: string;
  readonly to: string;
  readonly timeZone: string;
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

const DAY_MINUTES = 24 * 60;
/** An alert is over when its value has come down to this part of what fired it: at the edge it would fire and end all the time. */
const OVER_AT = 0.7;

/**
 * The value that a rule looks at, or undefined where too little has happened. Late bounces may outnumber the emails that go out at the time;
 * they are counted as part of themselves then, so that no rate is above a hundred.
 */
export function alertValue(rule: AlertRule, { events, handovers, queueSeconds }: AlertCount): number | undefined {
  if ('queueSeconds' in rule.over) return queueSeconds;
  if ('fewer' in rule.over) return events;
  if (events < rule.least) return undefined;
  if ('count' in rule.over) return events;
  return (100 * events) / Math.max(handovers, events, 1);
}

/** Whether a rule fires, given whether it did before (hysteresis). */
export function isFiring(rule: AlertRule, count: AlertCount, { wasFiring }: { readonly wasFiring: boolean }): boolean {
  const value = alertValue(rule, count);
  if (value === undefined) return false;
  if ('fewer' in rule.over) return value < rule.over.fewer;
  const limit = 'percent' in rule.over ? rule.over.percent : 'count' in rule.over ? rule.over.count : rule.over.queueSeconds;
  return value > (wasFiring ? limit * OVER_AT : limit);
}

const clocks = new Map<string, Intl.DateTimeFormat>();

/** Whether all of a span lies within the same hours of a day. Times are in milliseconds since the epoch. */
export function isWithinHours({ from, to, timeZone }: Hours, start: number, end: number): boolean {
  let clock = clocks.get(timeZone);
  if (clock === undefined)
    clocks.set(timeZone, (clock = new Intl.DateTimeFormat('en-GB', { timeZone, hour: '2-digit', minute: '2-digit' })));
  const minuteOf = (text: string): number => {
    const [hours = 0, minutes = 0] = text.split(':').map(Number);
    return hours * 60 + minutes;
  };
  // Counted from the beginning of the hours, so that midnight is nothing special.
  const into = (minute: number): number => (minute - minuteOf(from) + DAY_MINUTES) % DAY_MINUTES;
  const length = into(minuteOf(to)) === 0 ? DAY_MINUTES : into(minuteOf(to));
  const now = into(minuteOf(clock.format(end)));
  return now < length && (end - start) / 60_000 <= now;
}
