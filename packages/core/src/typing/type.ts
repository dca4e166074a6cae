/** One kind of value that a type allows. Records and lists are read lazily, since schemas may refer to themselves. */
export type Member =
  | { readonly kind: 'text'; readonly format?: string; readonly values?: readonly string[] }
  | { readonly kind: 'number'; readonly whole: boolean; readonly values?: readonly number[] }
  | { readonly kind: 'truth'; readonly values?: readonly boolean[] }
  | { readonly kind: 'list'; readonly of: () => Type }
  | RecordMember
  | { readonly kind: 'any' };

export interface RecordMember {
  readonly kind: 'record';
  /** Names that the schema declares. */
  readonly names: readonly string[];
  /** The type of a field; undefined where the schema has none of this name and allows no others. */
  readonly field: (name: string) =>
    | {
        readonly type: Type;
        readonly pointer: string;
        /** Whether null is allowed, not only absence. */ readonly nullable?: boolean;
        readonly optional?: boolean;
      }
    | undefined;
}

/** What a value may be. `absent`: it may be missing or null (the notation makes no difference between them). */
export interface Type {
  readonly absent: boolean;
  readonly members: readonly Member[];
}

export const ANY: Type = { absent: true, members: [{ kind: 'any' }] };
export const NEVER: Type = { absent: false, members: [] };
export const TEXT: Type = { absent: false, members: [{ kind: 'text' }] };
export const NUMBER: Type = { absent: false, members: [{ kind: 'number', whole: false }] };
export const WHOLE: Type = { absent: false, members: [{ kind: 'number', whole: true }] };
export const TRUTH: Type = { absent: false, members: [{ kind: 'truth' }] };
export const ABSENT: Type = { absent: true, members: [] };

export function present(type: Type): Type {
  return type.absent ? { absent: false, members: type.members } : type;
}

export function optional(type: Type): Type {
  return type.absent ? type : { absent: true, members: type.members };
}

export function either(a: Type, b: Type): Type {
  if (a === b) return a;
  const members = [...a.members, ...b.members.filter((one) => !a.members.includes(one))];
  return { absent: a.absent || b.absent, members };
}

export function literal(value: string | number | boolean | null): Type {
  if (value === null) return ABSENT;
  if (typeof value === 'string') return { absent: false, members: [{ kind: 'text', values: [value] }] };
  if (typeof value === 'number') return { absent: false, members: [{ kind: 'number', whole: Number.isInteger(value), values: [value] }] };
  return { absent: false, members: [{ kind: 'truth', values: [value] }] };
}

/** The type in a reader's words: "a text (date-time) or absent". */
export function inWords(type: Type): string {
  const words = new Set(
    type.members.map((one) => {
      switch (one.kind) {
        case 'text':
          return one.format === undefined ? 'a text' : `a text (${one.format})`;
        case 'number':
          return one.whole ? 'a whole number' : 'a number';
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
  if (typeof value === 'string') return member.kind === 'text' && (member.values?.includes(value) ?? true);
  if (typeof value === 'number') return member.kind === 'number' && (member.values?.includes(value) ?? true);
  if (typeof value === 'boolean') return member.kind === 'truth' && (member.values?.includes(value) ?? true);
  return false;
}
