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
