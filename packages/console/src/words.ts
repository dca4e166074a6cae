import type { Cause, ConsentView, Delivery, State } from '@verbalis/client';
import { color } from './style.js';

/** A state's sign, colour and meaning: never by colour alone. */
export const STATES: Readonly<Record<State, { readonly sign: string; readonly color: string; readonly means: string }>> = {
  queued: { sign: '…', color: color.mark, means: 'waits to be sent' },
  delayed: { sign: '~', color: color.wait, means: 'deferred, retried automatically' },
  accepted: { sign: '○', color: color.good, means: 'accepted by the provider' },
  delivered: { sign: '●', color: color.good, means: 'in the mailbox' },
  failed: { sign: '✕', color: color.bad, means: 'could not be delivered' },
  complained: { sign: '!', color: color.bad, means: 'reported as unwanted' },
  withheld: { sign: '–', color: color.soft, means: 'must not be sent' },
  expired: { sign: '–', color: color.soft, means: 'too late to be sent' },
  canceled: { sign: '–', color: color.soft, means: 'canceled before it was sent' },
};

/** A sign, its colour, and what happened. */
export type Words = readonly [sign: string, hue: string, words: string];

/** What each fact is on a timeline. */
export const REPORTS: Readonly<Record<Delivery['facts'][number]['kind'], Words>> = {
  accepted: ['○', color.good, 'A report was received: a server accepted it'],
  delivered: ['●', color.good, 'A report was received: it is in the mailbox'],
  failed: ['✕', color.bad, 'A report was received: it could not be delivered'],
  delayed: ['~', color.wait, 'A report was received: it is still being tried'],
  relayed: ['○', color.good, 'A report was received: it was passed on'],
  complained: ['!', color.bad, 'A complaint was received: the email was reported as unwanted'],
  withheld: ['–', color.soft, 'Withheld: it was not sent'],
  expired: ['–', color.soft, 'Too late: its deadline had passed'],
  canceled: ['–', color.soft, 'Canceled before it was sent'],
  'link-followed': ['↗', color.good, 'A link was followed'],
  'image-loaded': ['◌', color.good, 'The image of the email was loaded'],
};

/** How a recipient left a topic or joined it. */
export const CONSENT_WAYS: Readonly<Record<ConsentView['history'][number]['how'], string>> = {
  'one-click': 'by one click in a mail reader',
  page: 'on a page of the service',
  email: 'by an email',
  reply: 'by an answer to an email',
  report: 'by a report of a mailbox provider',
  callback: 'at the provider',
  api: 'through the API',
};

const relative = new Intl.RelativeTimeFormat('en', { numeric: 'auto', style: 'short' });
const exact = new Intl.DateTimeFormat('en', { dateStyle: 'medium', timeStyle: 'medium' });
const clock = new Intl.DateTimeFormat('en-GB', { timeStyle: 'medium' });
const STEPS = [
  ['day', 86_400],
  ['hour', 3600],
  ['minute', 60],
] as const;

export function ago(iso: string, now = Date.now()): string {
  const seconds = Math.round((Date.parse(iso) - now) / 1000);
  const [unit, size] = STEPS.find(([, one]) => Math.abs(seconds) >= one) ?? ['second', 1];
  return Math.abs(seconds) < 5 ? 'now' : relative.format(Math.round(seconds / size), unit);
}

export function exactTime(iso: string): string {
  return exact.format(new Date(iso));
}

const day = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'short' });

/** The day: "25 Nov". */
export function dayTime(iso: string): string {
  return day.format(new Date(iso));
}

export function clockTime(iso: string): string {
  return clock.format(new Date(iso));
}

/** Causes as the service knows them, those that people meet most often first. */
const EVERY_CAUSE: Readonly<Record<Cause, true>> = {
  'mailbox-full': true,
  'mailbox-unknown': true,
  'mailbox-disabled': true,
  'domain-unknown': true,
  unroutable: true,
  'address-syntax': true,
  policy: true,
  reputation: true,
  content: true,
  authentication: true,
  'too-large': true,
  'withheld-by-provider': true,
  rate: true,
  'rate-or-greylist': true,
  unreachable: true,
  expired: true,
  loop: true,
  system: true,
  other: true,
};
export const CAUSES = Object.keys(EVERY_CAUSE) as readonly Cause[];

/** "1 event", "2 events". */
export function inNumber(n: number, noun: string): string {
  return `${n} ${noun}${n === 1 ? '' : 's'}`;
}

/** A size as people say it. */
export function inBytes(bytes: number): string {
  if (bytes < 1000) return `${bytes} bytes`;
  if (bytes < 1_000_000) return `${(bytes / 1000).toFixed(1)} kB`;
  return bytes < 1e9 ? `${(bytes / 1_000_000).toFixed(1)} MB` : `${(bytes / 1e9).toFixed(1)} GB`;
}

/** A duration as people say it. */
export function durationText(ms: number | undefined): string {
  if (ms === undefined) return '–';
  if (ms < 1000) return `${ms} ms`;
  if (ms < 60_000) return `${(ms / 1000).toFixed(1)} s`;
  return ms < 3_600_000 ? `${Math.round(ms / 60_000)} min` : `${(ms / 3_600_000).toFixed(1)} h`;
}
