import { FORMATS } from '../formats/index.js';
import type { Expression } from '../notation/index.js';
import type { Place, SourceText } from '../problems/index.js';
import type { Binder, RecordMember, Type } from '../typing/index.js';
import type { ReadFile, Seen } from './folder.js';

/** A field of the data, named in a source. */
export interface FieldUse {
  readonly kind: 'field';
  readonly name: string;
  /** Of the name alone; undefined where it is not written as it is (in a value of the front matter with escapes). */
  readonly place: Place | undefined;
  readonly type: Type;
  /** Where the data schema declares it (RFC 6901). */
  readonly pointers: readonly string[];
  readonly seen: Seen;
}

/** A name that a loop or `let` gives, or one that is in reach without either (`mail`, an input of a block). */
export interface NameUse {
  readonly kind: 'name';
  readonly name: string;
  readonly place: Place | undefined;
  readonly type: Type;
  readonly binder: Binder | undefined;
  readonly seen: Seen;
}

/** Expressions that have been typed, with the texts that contain them. */
export interface Typed extends Pick<ReadFile, 'seen' | 'types'> {
  readonly sourceOf: (file: string) => SourceText;
}

/** Fields and names that sources use, in no order. */
export function usesIn(typed: Typed): (FieldUse | NameUse)[] {
  return typed.seen.flatMap((seen) => usesOf(seen, typed));
}

function usesOf(seen: Seen, { types, sourceOf }: Typed): (FieldUse | NameUse)[] {
  const { expression, scope } = seen;
  const source = sourceOf(expression.place.file);
  const of = (name: string, at: Place, owner: Type | undefined): FieldUse[] => {
    const { found, pointers } = fieldIn(owner, name);
    return found === undefined
      ? []
      : [{ kind: 'field', name, place: written(source, at, name), type: types.get(expression) ?? found, pointers, seen }];
  };
  switch (expression.kind) {
    case 'name': {
      const { name, place } = expression;
      const type = scope.type(name);
      if (type === undefined) return of(name, place, scope.data);
      return [
        { kind: 'name', name, place: written(source, place, name), type: types.get(expression) ?? type, binder: scope.binder(name), seen },
      ];
    }
    case 'member': {
      const { name, place } = expression;
      return of(name, tail(place, name.length), types.get(expression.of));
    }
    case 'index':
      return textField(expression.at, types.get(expression.of), of);
    case 'format': {
      const args = FORMATS.get(expression.name)?.args ?? [];
      const entries = (types.get(expression.value)?.members ?? []).flatMap((member) => (member.kind === 'list' ? [member.of()] : []));
      return expression.args.flatMap((arg, i) => (args[i]?.kind === 'field' ? entries.flatMap((entry) => textField(arg, entry, of)) : []));
    }
    case 'binary':
    case 'choice':
    case 'literal':
    case 'say':
    case 'unary':
    default:
      return [];
  }
}

/** A field whose name is written as a text: `record["name"]`, `lines | sum "amount"`. */
function textField(
  expression: Expression,
  owner: Type | undefined,
  of: (name: string, place: Place, owner: Type | undefined) => FieldUse[],
): FieldUse[] {
  if (expression.kind !== 'literal' || typeof expression.value !== 'string') return [];
  const { place, value } = expression;
  return of(value, { ...place, offset: place.offset + 1, column: place.column + 1, length: value.length }, owner);
}

/** The last units of a place. */
function tail(place: Place, length: number): Place {
  const by = place.length - length;
  return { ...place, offset: place.offset + by, column: place.column + by, length };
}

function written(source: SourceText, place: Place, name: string): Place | undefined {
  // Lines and columns of a path that is written over several lines are found again.
  const at = source.place(place.offset, place.length);
  return source.text.slice(at.offset, at.offset + at.length) === name ? at : undefined;
}

/** A field of whichever records a type can be. */
export function fieldIn(owner: Type | undefined, name: string): { readonly found: Type | undefined; readonly pointers: readonly string[] } {
  const records = (owner?.members ?? []).filter((member): member is RecordMember => member.kind === 'record');
  const fields = records.map((record) => record.field(name)).filter((field) => field !== undefined);
  return { found: fields[0]?.type, pointers: [...new Set(fields.flatMap(({ pointers }) => pointers))] };
}

/** Where a loop or `let` names what it gives; undefined where that cannot be found. */
export function binderPlace(source: SourceText, place: Place, name: string): Place | undefined {
  const header = /^[^]*?\b(?:each|let)[ \t]+/u.exec(source.text.slice(place.offset, place.offset + 200))?.[0];
  if (header === undefined) return undefined;
  const from = place.offset + header.length;
  const names = /^[\p{L}_][\p{L}\p{N}_]*(?:\s*,\s*[\p{L}_][\p{L}\p{N}_]*)?/u.exec(source.text.slice(from, from + 200))?.[0] ?? '';
  for (const found of names.matchAll(/[\p{L}_][\p{L}\p{N}_]*/gu))
    if (found[0] === name) return source.place(from + found.index, name.length);
  return undefined;
}
