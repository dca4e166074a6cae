import type { Argument, BlockUse, FrontValue } from '../notation/index.js';
import type { Place } from '../problems/index.js';
import { nodesOf } from '../program/index.js';
import type { ReadFile } from './folder.js';
import { usesIn, type FieldUse, type NameUse } from './uses.js';

/** What stands at a place of a source. */
export type Thing =
  | FieldUse
  | NameUse
  | { readonly kind: 'formatter'; readonly name: string; readonly place: Place }
  | { readonly kind: 'string'; readonly key: string; readonly place: Place }
  | { readonly kind: 'block'; readonly use: BlockUse; readonly place: Place }
  | { readonly kind: 'argument'; readonly use: BlockUse; readonly argument: Argument; readonly place: Place }
  | { readonly kind: 'front'; readonly key: string; readonly value: FrontValue; readonly place: Place };

function holds(place: Place | undefined, offset: number): boolean {
  return place !== undefined && place.offset <= offset && offset <= place.offset + place.length;
}

/** What stands at an offset of a file that has been read; undefined for prose. */
export function thingAt(read: ReadFile, offset: number): Thing | undefined {
  const use = usesIn(read).find(({ place }) => holds(place, offset));
  if (use !== undefined) return use;
  for (const { expression } of read.seen) {
    if (expression.kind === 'format' && holds(expression.namePlace, offset))
      return { kind: 'formatter', name: expression.name, place: expression.namePlace };
    if (expression.kind === 'say') {
      const place = keyPlace(read, expression);
      if (holds(place, offset) && place !== undefined) return { kind: 'string', key: expression.key, place };
    }
  }
  const { tree } = read;
  if (tree === undefined) return undefined;
  for (const block of nodesOf(tree.body, 'block')) {
    if (block.place.file !== read.file) continue;
    if (holds(block.namePlace, offset)) return { kind: 'block', use: block, place: block.namePlace };
    const argument = block.args.find(({ name, place }) => name !== undefined && holds({ ...place, length: name.length }, offset));
    if (argument !== undefined)
      return { kind: 'argument', use: block, argument, place: { ...argument.place, length: argument.name?.length ?? 0 } };
  }
  for (const [key, value] of tree.front) if (holds(value.place, offset)) return { kind: 'front', key, value, place: value.place };
  return undefined;
}

/** Where the key of `say "key"` is written, without its quotes. */
export function keyPlace(
  { source }: Pick<ReadFile, 'source'>,
  { key, place }: { readonly key: string; readonly place: Place },
): Place | undefined {
  const text = source.text.slice(place.offset, place.offset + place.length);
  const found = /^say\s*["']/.exec(text)?.[0];
  return found !== undefined && text.startsWith(key, found.length) ? source.place(place.offset + found.length, key.length) : undefined;
}
