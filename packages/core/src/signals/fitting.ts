import { accepts, type RecordMember, type Type } from '../typing/index.js';

/** Levels at which fields are looked for. */
const DEEPEST = 12;

/** Paths of fields that a rule gives and a closed schema does not have. A schema with several kinds of records is not looked at. */
function strangers(wanted: Type, given: Type, path: string, depth = 0): string[] {
  if (depth > DEEPEST) return [];
  const [record, ...others] = wanted.members.filter((member): member is RecordMember => member.kind === 'record');
  const [list, ...lists] = wanted.members.flatMap((member) => (member.kind === 'list' ? [member] : []));
  return given.members.flatMap((member) => {
    if (member.kind === 'list' && list !== undefined && lists.length === 0)
      return strangers(list.of(), member.of(), `${path}[]`, depth + 1);
    if (member.kind !== 'record' || record === undefined || others.length > 0) return [];
    return member.names.flatMap((name) => {
      const own = record.field(name);
      const inner = path === '' ? name : `${path}.${name}`;
      if (own === undefined) return record.open || record.others() !== undefined ? [] : [inner];
      return strangers(own.type, member.field(name)?.type ?? { absent: true, members: [] }, inner, depth + 1);
    });
  });
}

/** Why what a rule makes does not fit where it goes, in sentences; none where it does. @param what as people read it: "data" */
export function misfits(wanted: Type, given: Type, what: string): string[] {
  const misfit = accepts(wanted, given);
  if (misfit !== undefined) {
    const path = `${what}${misfit.path}`;
    return [`"${path}" must be ${misfit.wanted}; the rule gives ${misfit.given}.`];
  }
  return [...new Set(strangers(wanted, given, what))].map((path) => `"${path}" is not a field that is wanted there.`);
}
