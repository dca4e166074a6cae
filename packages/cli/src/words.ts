import type { State } from '@verbalis/client';
import type { Output } from './output.js';

type Paint = 'green' | 'blue' | 'yellow' | 'red' | 'dim';

const SIGNS: Readonly<Record<State, readonly [sign: string, paint: Paint]>> = {
  queued: ['…', 'blue'],
  delayed: ['~', 'yellow'],
  accepted: ['○', 'green'],
  delivered: ['●', 'green'],
  failed: ['✗', 'red'],
  complained: ['✗', 'red'],
  withheld: ['–', 'dim'],
  expired: ['–', 'dim'],
  canceled: ['–', 'dim'],
};

/** All states, in the order in which a delivery may come to them. */
export const STATES = Object.keys(SIGNS) as readonly State[];

/** A state with its sign and colour: never by colour alone. */
export function stateWord(state: State, color: Output['color']): string {
  const [sign, paint] = SIGNS[state];
  return color[paint](`${sign} ${state}`);
}

/** "14:03:07" today, else with the date; in the local time zone of the terminal. */
export function clockTime(iso: string, now = Date.now()): string {
  const at = new Date(iso);
  const two = (n: number): string => String(n).padStart(2, '0');
  const time = `${two(at.getHours())}:${two(at.getMinutes())}:${two(at.getSeconds())}`;
  const sameDay = new Date(now).toDateString() === at.toDateString();
  return sameDay ? time : `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())} ${time}`;
}

/** "12.4 MB": bytes in powers of a thousand. */
export function bytesText(bytes: number): string {
  const units = ['bytes', 'kB', 'MB', 'GB', 'TB'];
  let [size, unit] = [bytes, 0];
  for (; size >= 1000 && unit < units.length - 1; unit += 1) size /= 1000;
  return `${unit === 0 ? String(size) : size.toFixed(1)} ${units[unit] ?? ''}`;
}

/** A size in kilobytes (SI). */
export function kilobytes(bytes: number): string {
  return `${(bytes / 1000).toFixed(1)} kB`;
}
