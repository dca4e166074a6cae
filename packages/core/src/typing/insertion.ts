import type { Expression } from '../notation/index.js';
import { problem, warning, type Problem } from '../problems/index.js';
import { hasFormat } from './kinds.js';
import { isFaulty, mayBeAnything, type Member, type Type } from './type.js';
import { absenceHint, anythingHint, shown } from './wording.js';

/** Why a value cannot be put into the mail as it is. `prose`: in running text, which may have line breaks. */
export function insertFaults(value: Expression, type: Type, { prose }: { readonly prose: boolean }): Problem[] {
  if (isFaulty(type)) return [];
  if (mayBeAnything(type)) return [problem('insert-type', value.place, `"${shown(value)}" may be anything here.`, anythingHint(type))];
  if (type.absent) return [problem('maybe-absent', value.place, `"${shown(value)}" may be absent here.`, absenceHint(value, type))];
  return type.members.flatMap((member) => memberFault(value, member, prose) ?? []);
}

function memberFault(value: Expression, member: Member, prose: boolean): Problem | undefined {
  const name = shown(value);
  if (member.kind === 'list')
    return problem(
      'insert-type',
      value.place,
      `"${name}" is a list and cannot be put in as it is.`,
      `Write {{ ${name} | list }}, or go through it with ":::each".`,
    );
  if (member.kind === 'record')
    return problem(
      'insert-type',
      value.place,
      `"${name}" is a record and cannot be put in as it is.`,
      `Name one of its fields: ${member.names.slice(0, 6).join(', ')}.`,
    );
  if (member.kind === 'truth')
    return problem(
      'insert-type',
      value.place,
      `"${name}" is true or false and cannot be put in as it is.`,
      `Write {{ ${name} ? "yes" : "no" }}.`,
    );
  if (hasFormat(member, 'lines') && !prose)
    return problem(
      'lines-here',
      value.place,
      'Line breaks can be kept in running text only.',
      'Leave out "lines" here: breaks become spaces.',
    );
  if (hasFormat(member, 'date-time'))
    return warning(
      'raw-date',
      value.place,
      `"${name}" would be shown as data holds it, like 2026-06-04T08:15:00Z.`,
      `Write {{ ${name} | datetime }}.`,
    );
  return undefined;
}
