import { TEXT_KINDS, type ValueKind } from '../formats/index.js';
import { mayBeAnything, type Member, type TextMember, type Type } from './type.js';

/** Whether all that it can be are whole numbers. */
export function isWhole(type: Type): boolean {
  return type.members.every((member) => member.kind === 'number' && member.whole);
}

/** Whether it is a number other than 0. */
export function isNonzero(type: Type): boolean {
  return type.members.every((member) => member.kind === 'number' && member.nonzero === true);
}

/** The schema format that makes a text be of a kind. */
export const FORMAT_OF: Readonly<Partial<Record<ValueKind, string>>> = {
  date: 'date',
  datetime: 'date-time',
  time: 'time',
  duration: 'duration',
  currency: 'currency',
  phone: 'phone',
  unit: 'unit',
  zone: 'time-zone',
};
export function hasFormat(member: Member, format: string): boolean {
  return member.kind === 'text' && (member.formats?.includes(format) ?? false);
}

/** Whether every value of a text is of this format, because the schema asserts it or because its values are. */
export function isFormatted(member: TextMember, format: string): boolean {
  if (member.formats?.includes(format) === true) return true;
  return member.values?.every((value) => TEXT_KINDS[format]?.is(value) ?? false) ?? false;
}

/** Whether a value of this member can be given to what takes `kind`. */
export function fits(member: Member, kind: ValueKind): boolean {
  if (member.kind === 'any') return member.faulty === true;
  if (kind === 'any') return true;
  switch (kind) {
    case 'text':
      return member.kind === 'text';
    case 'number':
      return member.kind === 'number';
    case 'whole':
      return member.kind === 'number' && member.whole;
    case 'truth':
      return member.kind === 'truth';
    case 'list':
      return member.kind === 'list';
    case 'moment':
      return fits(member, 'date') || fits(member, 'datetime');
    case 'field':
      return member.kind === 'text';
    case 'same':
      return false;
    case 'currency':
    case 'date':
    case 'datetime':
    case 'duration':
    case 'phone':
    case 'time':
    case 'unit':
    case 'zone':
    default:
      return member.kind === 'text' && isFormatted(member, FORMAT_OF[kind] ?? '');
  }
}

/** Formats of moments, which are compared by when they are and not by their letters. */
const MOMENTS = ['date-time', 'date', 'time'] as const;

/** How two texts are compared: as moments of one format, as texts, or not at all since one is a moment and the other is not. */
export function momentsOf(a: Type, b: Type): (typeof MOMENTS)[number] | 'text' | 'mixed' {
  // What may be anything equals only what it is.
  if (mayBeAnything(a) || mayBeAnything(b)) return 'text';
  const members = [...a.members, ...b.members].filter((member): member is TextMember => member.kind === 'text');
  const moment = MOMENTS.find((format) => members.some((member) => hasFormat(member, format)));
  if (moment === undefined) return 'text';
  return members.every((member) => isFormatted(member, moment)) ? moment : 'mixed';
}
