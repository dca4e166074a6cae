/** What a text, a number or a truth value is known to be, beyond its kind. */
interface Known<T> {
  /** Exactly one of these. */
  readonly values?: readonly T[];
  /** None of these (a condition has excluded them). */
  readonly except?: readonly T[];
}

/** One kind of value that a type allows. Records and lists are read lazily, since schemas may refer to themselves. */
export type Member =
  | TextMember
  | NumberMember
  | ({ readonly kind: 'truth' } & Known<boolean>)
  | ListMember
  | RecordMember
  /** `faulty`: what a wrong path gives; it fits everywhere, so that one fault does not cause a second. */
  | { readonly kind: 'any'; readonly faulty?: true };

export interface TextMember extends Known<string> {
  readonly kind: 'text';
  /** Every "format" that the schema asserts. */
  readonly formats?: readonly string[];
}

export interface NumberMember extends Known<number> {
  readonly kind: 'number';
  readonly whole: boolean;
  /** Never 0: it can be divided by. */
  readonly nonzero?: boolean;
}

export interface ListMember {
  readonly kind: 'list';
  /** Any entry. */
  readonly of: () => Type;
  /** The entry at an index from 0. */
  readonly at: (index: number) => Type;
  /** Entries that are always there. */
  readonly least: number;
}

/** A field of a record, as far as its schema speaks of it. */
export interface Field {
  readonly type: Type;
  /** Where the schema declares it (RFC 6901). */
  readonly pointers: readonly string[];
  /** Whether null is allowed, not only absence. */
  readonly nullable: boolean;
  readonly optional: boolean;
}

export interface RecordMember {
  readonly kind: 'record';
  /** Names that the schema declares. */
  readonly names: readonly string[];
  /** The type of a field; undefined where the schema does not speak of one with this name. */
  readonly field: (name: string) => Field | undefined;
  /** What a field that the schema does not declare holds where there is one; undefined where there can be none. */
  readonly others: () => Type | undefined;
  /** What the service gives, and not data: nothing goes through its fields. */
  readonly isService?: true;
  /** Fields of other names are allowed although the schema does not mention them. */
  readonly open: boolean;
}

/** What a value may be. `absent`: it may be missing or null (the notation makes no difference between them). */
export interface Type {
  readonly absent: boolean;
  readonly members: readonly Member[];
}

export const ANY: Type = { absent: true, members: [{ kind: 'any' }] };
/** What a wrong path or operator gives. */
export const FAULTY: Type = { absent: false, members: [{ kind: 'any', faulty: true }] };
export const NEVER: Type = { absent: false, members: [] };
export const TEXT: Type = { absent: false, members: [{ kind: 'text' }] };
export const NUMBER: Type = { absent: false, members: [{ kind: 'number', whole: false }] };
export const WHOLE: Type = { absent: false, members: [{ kind: 'number', whole: true }] };
export const TRUTH: Type = { absent: false, members: [{ kind: 'truth' }] };
export const ABSENT: Type = { absent: true, members: [] };

/** A text of one format. */
export function textOf(format: string): Type {
  return { absent: false, members: [{ kind: 'text', formats: [format] }] };
}

/** Whether nothing is known of what it is because of a fault that has been reported. */
export function isFaulty(type: Type): boolean {
  return type.members.some((member) => member.kind === 'any' && member.faulty === true);
}

/** Whether it may be a value that the schema does not mention. */
export function mayBeAnything(type: Type): boolean {
  return type.members.some((member) => member.kind === 'any') && !isFaulty(type);
}

export function present(type: Type): Type {
  return type.absent ? { absent: false, members: type.members } : type;
}

export function optional(type: Type): Type {
  return type.absent ? type : { absent: true, members: type.members };
}

export function either(a: Type, b: Type): Type {
  if (a === b) return a;
  const members = [...a.members, ...b.members.filter((member) => !a.members.includes(member))];
  return { absent: a.absent || b.absent, members };
}

export function literal(value: string | number | boolean | null): Type {
  if (value === null) return ABSENT;
  if (typeof value === 'string') return { absent: false, members: [{ kind: 'text', values: [value] }] };
  if (typeof value === 'number')
    return { absent: false, members: [{ kind: 'number', whole: Number.isInteger(value), values: [value], nonzero: value !== 0 }] };
  return { absent: false, members: [{ kind: 'truth', values: [value] }] };
}

/** The type in a reader's words: "a text (date-time) or absent". */
export function inWords(type: Type): string {
  const words = new Set(
    type.members.map((member) => {
      switch (member.kind) {
        case 'text':
          return member.formats === undefined || member.formats.length === 0 ? 'a text' : `a text (${member.formats.join(', ')})`;
        case 'number':
          return member.whole ? 'a whole number' : 'a number';
        case 'truth':
          return 'true or false';
        case 'list':
          return 'a list';
        case 'record':
          return 'a record of fields';
        case 'any':
          return 'anything';
      }
    }),
  );
  if (type.absent) words.add('absent');
  return [...words].join(' or ') || 'nothing';
}

/** Whether a written argument can stand for a number. */
export function isNumeral(text: string): boolean {
  return /^-?\d{1,15}(?:\.\d{1,9})?$/.test(text);
}

/** Whether a value that equals `value` could be of this member. */
export function mayEqual(member: Member, value: string | number | boolean | null): boolean {
  if (member.kind === 'any') return true;
  if (
    member.kind !== (typeof value === 'string' ? 'text' : typeof value === 'number' ? 'number' : typeof value === 'boolean' ? 'truth' : '')
  )
    return false;
  const { values, except } = member as Known<unknown>;
  return (values?.includes(value) ?? true) && !(except?.includes(value) ?? false);
}
