import { Fault } from '../problems/index.js';
import { isDate, isDateTime } from './kinds.js';

/** Milliseconds since the epoch of an RFC 3339 date-time or full-date (5.6); a date alone counts as midnight UTC. */
export function instantOf(value: string): number {
  if (!isDate(value) && !isDateTime(value)) throw new Fault('format-value', `"${value}" is not a valid date.`);
  // A leap second is the last of its minute, and the first of the next for those who count without them.
  const leap = /^(.{17})60(.*)$/.exec(value);
  return leap === null ? Date.parse(value.toUpperCase()) : Date.parse(`${leap[1] ?? ''}59${leap[2] ?? ''}`.toUpperCase()) + 1000;
}

/** Milliseconds since midnight UTC of an RFC 3339 full-time: times of different offsets in the order of the day. */
export function timeOfDay(value: string): number {
  return instantOf(`1970-01-01T${value}`);
}
