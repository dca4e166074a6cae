import type { Loop } from '../notation/index.js';
import { problem, type Problem } from '../problems/index.js';
import {
  either,
  FAULTY,
  inWords,
  isFaulty,
  mayBeAnything,
  NEVER,
  optional,
  present,
  TRUTH,
  type Member,
  type RecordMember,
  type Type,
} from './type.js';
import { absenceHint, anythingHint, shown } from './wording.js';

/** A whole number from 1. */
const COUNTED: Type = { absent: false, members: [{ kind: 'number', whole: true, nonzero: true }] };

/** Fields that are always there. */
export function recordOf(fields: Readonly<Record<string, Type>>): RecordMember {
  return {
    kind: 'record',
    names: Object.keys(fields),
    open: false,
    others: () => undefined,
    field: (name) => {
      const type = Object.hasOwn(fields, name) ? fields[name] : undefined;
      return type === undefined ? undefined : { type, pointers: [], nullable: false, optional: type.absent };
    },
  };
}

/** Where a loop is: `at.number` from 1, `at.count`, and whether it is the first or last turn. */
const AT: Type = { absent: false, members: [recordOf({ number: COUNTED, first: TRUTH, last: TRUTH, count: COUNTED })] };

interface LoopNames {
  readonly entry: Type;
  /** The type of the second name: where in the list, or the value of a record's field. */
  readonly second: Type | undefined;
  readonly problems: readonly Problem[];
}

/** What the names of a loop are: entry and position for a list, key and value for a record. */
export function loopNames({ list, name, second }: Pick<Loop<never>, 'list' | 'name' | 'second'>, type: Type): LoopNames {
  const faulty = (...problems: readonly Problem[]): LoopNames => ({ entry: FAULTY, second: FAULTY, problems });
  if (isFaulty(type)) return faulty();
  const problems =
    type.absent && !mayBeAnything(type)
      ? [problem('maybe-absent', list.place, `"${shown(list)}" may be absent here.`, absenceHint(list, type))]
      : [];
  const records = type.members.filter((member) => member.kind === 'record');
  if (records.length > 0 && records.length === type.members.length) {
    if (records.some((record) => record.isService === true))
      return faulty(problem('each-type', list.place, `"${shown(list)}" is what the service gives; a loop goes through data.`));
    if (second !== undefined) return { ...fieldsOf(records), problems };
    return faulty(
      problem(
        'each-type',
        list.place,
        `"${shown(list)}" is a record of fields, not a list.`,
        `Name both, key and value: "each ${name}, value in ${shown(list)}".`,
      ),
    );
  }
  const lists = type.members.filter((member) => member.kind === 'list');
  if (lists.length < type.members.length || lists.length === 0)
    return faulty(
      problem(
        'each-type',
        list.place,
        `"each" goes through a list or a record; "${shown(list)}" is ${inWords(present(type))}.`,
        anythingHint(type),
      ),
    );
  return { entry: lists.map((member) => member.of()).reduce(either, NEVER), second: second === undefined ? undefined : AT, problems };
}

/** Names and values of the fields of records: only existing ones are visited. */
function fieldsOf(records: readonly RecordMember[]): { readonly entry: Type; readonly second: Type } {
  const isClosed = records.every((record) => !record.open && record.others() === undefined);
  const names = [...new Set(records.flatMap((record) => record.names))];
  const key: Member = isClosed ? { kind: 'text', values: names } : { kind: 'text' };
  const values = records.flatMap((record): Type[] => [
    ...record.names.flatMap((name) => {
      const field = record.field(name);
      return field === undefined ? [] : [field.nullable ? optional(field.type) : present(field.type)];
    }),
    ...(record.others() === undefined ? [] : [record.others() as Type]),
  ]);
  const open: Type[] = records.some((record) => record.open && record.others() === undefined)
    ? [{ absent: true, members: [{ kind: 'any' }] }]
    : [];
  return { entry: { absent: false, members: [key] }, second: [...values, ...open].reduce(either, NEVER) };
}
