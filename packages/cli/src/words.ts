import type { State } from '@verbalis/client';
import type { Output } from './output.js';

/** A state with its sign and colour: never by colour alone. */
export function stateWord(state: State, color: Output['color']): string {
  switch (state) {
    case 'delivered':
      return color.green(`● ${state}`);
    case 'accepted':
      return color.green(`○ ${state}`);
    case 'queued':
      return color.blue(`… ${state}`);
    case 'delayed':
      return color.yellow(`~ ${state}`);
    case 'failed':
    case 'complained':
      return color.red(`✗ ${state}`);
    default:
      return color.dim(`– ${state}`);
  }
}

/** "14:03:07" today, else with the date; in the local time zone of the terminal. */
export function clockTime(iso: string, now = Date.now()): string {
  const at = new Date(iso);
  const two = (n: number): string => String(n).padStart(2, '0');
  const time = `${two(at.getHours())}:${two(at.getMinutes())}:${two(at.getSeconds())}`;
  const sameDay = new Date(now).toDateString() === at.toDateString();
  return sameDay ? time : `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())} ${time}`;
}
