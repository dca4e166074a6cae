import type { ScheduleRun, ScheduleSummary } from '@verbalis/client';
import { color } from '../style.js';

interface Look {
  readonly sign: string;
  readonly color: string;
}

/** The state of a schedule, and what it means. */
export const SCHEDULE_STATES: Readonly<Record<ScheduleSummary['state'], Look & { readonly means: string }>> = {
  active: { sign: '●', color: color.good, means: 'runs at its times' },
  paused: { sign: '‖', color: color.wait, means: 'does not run until it is resumed' },
  ended: { sign: '–', color: color.soft, means: 'has no more times' },
};

/** What came of a time. */
export const RUN_STATES: Readonly<Record<ScheduleRun['state'], Look>> = {
  started: { sign: '●', color: color.good },
  skipped: { sign: '–', color: color.soft },
  failed: { sign: '✕', color: color.bad },
};

/** A time as a clock in a zone shows it. */
export function zoneTime(at: string, timeZone: string): string {
  return new Intl.DateTimeFormat('en-GB', {
    timeZone,
    weekday: 'short',
    day: 'numeric',
    month: 'short',
    year: 'numeric',
    hour: '2-digit',
    minute: '2-digit',
  }).format(new Date(at));
}

/** A time by the clock of its schedule. */
export function ZoneTime({ at, timeZone }: { readonly at: string; readonly timeZone: string }) {
  return <time dateTime={at}>{zoneTime(at, timeZone)}</time>;
}
