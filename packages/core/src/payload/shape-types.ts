import {
  ABSENT,
  ANY,
  either,
  FAULTY,
  isFaulty,
  literal,
  mayBeAnything,
  NEVER,
  present,
  TEXT,
  textOf,
  type Field,
  type ListMember,
  type Type,
} from '../typing/index.js';

/** What is made where nothing is typed; where something is, only a mistake leads there, and it is reported already. */
export function anythingOf(isTyped: boolean): Type {
  return isTyped ? FAULTY : ANY;
}

/** The type of a constant in the template. */
export function valueType(value: unknown): Type {
  return typeof value === 'string' || typeof value === 'number' || typeof value === 'boolean' || value === null ? literal(value) : ANY;
}

/** A text made of several parts: an address where its first one names scheme and host. What is put in is looked at when it is made. */
export function textType(first: unknown): Type {
  return typeof first === 'string' && /^https?:\/\/[^\s/?#]+[/?#]/i.test(first) ? textOf('uri') : TEXT;
}

/** A record with exactly these fields; what may be absent is left out then. */
export function recordType(fields: ReadonlyMap<string, Type>): Type {
  const field = (name: string): Field | undefined => {
    const type = fields.get(name);
    return type === undefined ? undefined : { type, pointers: [], nullable: false, optional: type.absent };
  };
  return { absent: false, members: [{ kind: 'record', names: [...fields.keys()], field, others: () => undefined, open: false }] };
}

/** An entry of a list in the template: one value, or all entries of another list. */
interface Entry {
  readonly spread: boolean;
  readonly type: Type;
  /** Of one that is spread. */
  readonly least?: number;
}

/** A list of these entries; those that may be absent are left out then. */
export function listType(entries: readonly Entry[]): Type {
  const of = (): Type => entries.map(({ spread, type }) => (spread ? entryTypes(type).of : present(type))).reduce(either, NEVER);
  const least = entries.reduce(
    (sum, { spread, type, least: own }) => sum + (spread ? (own ?? entryTypes(type).least) : type.absent ? 0 : 1),
    0,
  );
  const isPlain = entries.every(({ spread, type }) => !spread && !type.absent);
  const at = (index: number): Type => (isPlain ? (entries[index]?.type ?? ABSENT) : of());
  return { absent: false, members: [{ kind: 'list', of, at, least }] };
}

/** What a list holds, and how many entries are always there; `isList` where it is one, or nothing is known of it because of a mistake. */
export function entryTypes(type: Type): { readonly of: Type; readonly least: number; readonly isList: boolean } {
  if (isFaulty(type)) return { of: FAULTY, least: 0, isList: true };
  if (mayBeAnything(type)) return { of: ANY, least: 0, isList: false };
  const lists = type.members.filter((member): member is ListMember => member.kind === 'list');
  return {
    of: lists.map((list) => list.of()).reduce(either, NEVER),
    least: type.absent || lists.length === 0 ? 0 : Math.min(...lists.map(({ least }) => least)),
    isList: lists.length === type.members.length && lists.length > 0,
  };
}

/** What a choice makes; nothing, where there is no other. */
export function chosenType(yes: Type, no: Type | undefined): Type {
  return either(yes, no ?? ABSENT);
}
