import { BLOCKS, type AddressKind, type Side } from '../blocks/index.js';
import { joined } from '../html/index.js';
import type { Argument, BlockUse, Flow, Inline, Parts, RowPart, Steering, Verbatim } from '../notation/index.js';
import type { Place } from '../problems/index.js';
import { isSteer, resteered, type Address, type Op, type Steer, type Value } from '../render/index.js';
import { hasFormat } from '../typing/index.js';
import { addressOf } from './address.js';
import type { CompileContext } from './context.js';
import { entriesOf, slotName, type Input, type OwnBlock } from './own-blocks.js';
import { argumentValue, valueOf, type Names } from './values.js';

/** Turns branches and loops of the tree into branches and loops of operations; each entry gives any number of them. */
export function steer<N extends { readonly kind: string }, T>(
  nodes: readonly (N | Steering<unknown>)[],
  names: Names,
  context: CompileContext,
  each: (node: N, names: Names) => readonly T[],
): (T | Steer<T>)[] {
  const inner = (body: readonly unknown[], scope: Names): T[] => steer<N, T>(body as readonly N[], scope, context, each) as T[];
  return nodes.flatMap((node): readonly (T | Steer<T>)[] => {
    if (node.kind === 'if' && 'branches' in node) {
      const branches = node.branches.map((branch) => ({
        test: branch.test === undefined ? undefined : valueOf(branch.test, names),
        body: inner(branch.body, names),
      }));
      return [{ op: 'if', branches }];
    }
    if (node.kind === 'each' && 'list' in node) {
      const entry = names.with(node.name);
      const second = node.second === undefined ? undefined : entry.names.with(node.second);
      const scope = second?.names ?? entry.names;
      context.deepest = Math.max(context.deepest, scope.depth);
      return [
        {
          op: 'each',
          slot: entry.slot,
          secondSlot: second?.slot,
          list: valueOf(node.list, names),
          body: inner(node.body, scope),
          between: inner(node.between, scope),
          otherwise: inner(node.otherwise, names),
        },
      ];
    }
    if (node.kind === 'let' && 'body' in node) {
      const local = names.with(node.name);
      context.deepest = Math.max(context.deepest, local.names.depth);
      return [{ op: 'let', slot: local.slot, value: valueOf(node.value, names) }, ...inner(node.body, local.names)];
    }
    return each(node as N, names);
  });
}

/** The uses of a block that an argument with a value stands for: one for each word that it can be, with its test; the last has none. */
export function variantsOf(
  use: BlockUse,
  names: Names,
): readonly { readonly test: Value | undefined; readonly use: BlockUse }[] | undefined {
  const signature = BLOCKS.get(use.name)?.signature;
  const isChoice = ({ name }: Argument): boolean =>
    (name === undefined ? signature?.first : signature?.args.find((wanted) => wanted.name === name))?.kind === 'choice';
  const arg = use.args.find((given) => isChoice(given) && given.parts.some((part) => typeof part !== 'string'));
  const [value] = arg?.parts ?? [];
  if (arg === undefined || value === undefined || typeof value === 'string') return undefined;
  const words = new Set(names.types.get(value)?.members.flatMap((member) => (member.kind === 'text' ? (member.values ?? []) : [])));
  return [...words].map((word, i) => ({
    test: i === words.size - 1 ? undefined : { k: 'two', operator: '==', a: valueOf(value, names), b: { k: 'const', value: word } },
    use: { ...use, args: use.args.map((given) => (given === arg ? { ...given, parts: [word] } : given)) },
  }));
}

/** What a caller put inside a block of one's own, to be set where the block says `::content`. */
export interface Inner {
  readonly nodes: readonly Flow[];
  /** What it put into the other places, by their names. */
  readonly slots: ReadonlyMap<string, readonly Flow[]>;
  readonly names: Names;
  /** What stands inside the caller, where the caller is such a block too. */
  readonly inner: Inner | undefined;
}

/** What a caller put inside a block of one's own: the `:::slot`s among it are apart. */
export function contentOf(use: BlockUse): Pick<Inner, 'nodes' | 'slots'> {
  const children = use.content.mode === 'flow' ? use.content.children : [];
  const slots = new Map<string, readonly Flow[]>();
  const nodes = children.filter((child) => {
    if (child.kind !== 'block' || child.name !== 'slot') return true;
    slots.set(slotName(child) ?? '', child.content.mode === 'flow' ? child.content.children : []);
    return false;
  });
  return { nodes, slots };
}

/** What a `content` is replaced by: the content of the caller, or the block's own where the caller gives none. */
export function filling(use: BlockUse, inner: Inner): { readonly nodes: readonly Flow[]; readonly isOwn: boolean } {
  const name = slotName(use) ?? '';
  const given = name === '' ? inner.nodes : (inner.slots.get(name) ?? []);
  if (given.length > 0 || use.content.mode !== 'flow') return { nodes: given, isOwn: false };
  return { nodes: use.content.children, isOwn: true };
}

/** The names that a block of one's own sees at this use. */
export function inputsOf(own: OwnBlock, use: BlockUse, names: Names, context: CompileContext): Names {
  const values = own.inputs.map((input) => {
    const given = use.args.find((arg) => arg.name === input.name);
    return [input.name, given === undefined ? usualValue(input) : inputValue(given, input, names, context)] as const;
  });
  return names.inputs(values);
}

/** The value that an input of this type takes. */
export function inputValue(given: Argument, input: Input, names: Names, context: CompileContext): Value {
  const value = valueFor(given, input.type, names, context);
  return input.usual === null ? value : { k: 'two', operator: '??', a: value, b: usualValue(input) };
}

/** What an input is where nothing is given. */
export const usualValue = ({ usual }: Input): Value => ({ k: 'const', value: usual });

function valueFor(given: Argument, type: Input['type'], names: Names, context: CompileContext): Value {
  const single = given.parts.length === 1 && typeof given.parts[0] !== 'string';
  const takesAddress = type.members.some((member) => hasFormat(member, 'uri') || hasFormat(member, 'uri-reference'));
  if (single || !takesAddress) return argumentValue(given.parts, names, type);
  return { k: 'url', address: partsAddress(given.parts, { names, context, place: given.place, kind: 'link' }) };
}

/** An address of fixed text and expressions. */
export function partsAddress(
  parts: Parts,
  {
    names,
    context,
    place,
    kind,
  }: { readonly names: Names; readonly context: CompileContext; readonly place: Place; readonly kind: AddressKind },
): Address {
  return addressOf(
    parts.map((part) => (typeof part === 'string' ? part : { expression: part, names })),
    context,
    place,
    kind,
  );
}

/** A text of strings/ with emphasis or links; undefined for any other value. */
export function richSay(
  { value, place }: Extract<Inline, { kind: 'insert' }>,
  {
    names,
    context,
    as,
    attributes,
  }: { readonly names: Names; readonly context: CompileContext; readonly as: 'html' | 'text'; readonly attributes: string },
): Op | undefined {
  const tags = value.kind === 'say' ? context.rich.get(value.key) : undefined;
  if (value.kind !== 'say' || tags === undefined) return undefined;
  const given = value.values.filter(({ name }) => tags.includes(name));
  const links = Object.fromEntries(
    given.map(({ name, value: address }): [string, Address] => [
      name,
      partsAddress([address.kind === 'literal' ? String(address.value) : address], { names, context, place, kind: 'link' }),
    ]),
  );
  const words = { ...value, values: value.values.filter(({ name }) => !tags.includes(name)) };
  return { op: 'rich', value: valueOf(words, names), links, attributes, as };
}

/** A value in running text. */
export function inserted(value: Extract<Inline, { kind: 'insert' }>['value'], names: Names, as: 'html' | 'text'): Op {
  const keeps = names.types.get(value)?.members.some((member) => hasFormat(member, 'lines')) === true;
  return { op: 'put', value: valueOf(value, names), as: keeps ? `${as}-lines` : as };
}

/** Adjacent texts are joined, also inside branches and loops. */
export function tidy(ops: readonly Op[]): Op[] {
  return joined(
    ops.map((op): Op => {
      if (typeof op === 'string' || !isSteer(op)) return op;
      return resteered<Op, Op>(op, tidy);
    }),
  );
}

type VerbatimLeaf = Extract<Verbatim, { kind: 'text' | 'insert' }>;

/** The part of a block's side that HTML and text have in common. */
export function commonSide(names: Names, context: CompileContext, as: 'html' | 'text', fixed: (text: string) => string): Side {
  const argument: Side['argument'] = (use, name) => use.args.find((arg) => arg.name === name);
  return {
    argument,
    word: (use: BlockUse, name, usual) => {
      const parts = argument(use, name)?.parts ?? [];
      const text = parts.filter((part) => typeof part === 'string').join('');
      return text === '' ? usual : text;
    },
    value: (use, name) =>
      argumentValue(argument(use, name)?.parts ?? [], names, BLOCKS.get(use.name)?.signature.args.find((arg) => arg.name === name)?.type),
    plain: (parts) => parts.map((part): Op => (typeof part === 'string' ? part : { op: 'put', value: valueOf(part, names), as: 'line' })),
    say: (word) => ({ op: 'word', word, as }),
    parts: (parts) => parts.map((part): Op => (typeof part === 'string' ? fixed(part) : { op: 'put', value: valueOf(part, names), as })),
    address: (arg, kind = 'link') => ({ op: 'address', address: partsAddress(arg.parts, { names, context, place: arg.place, kind }), as }),
    pieces: (nodes, treat) =>
      tidy(
        steer<VerbatimLeaf, Op>(nodes, names, context, (node, scope) =>
          node.kind === 'text' ? [treat(node.text)] : [inserted(node.value, scope, as)],
        ),
      ),
    rowsOf: (use) => {
      const own = context.own.get(use.name);
      return own === undefined ? [] : entriesOf<RowPart>(own);
    },
    numeric: (cell) => isNumeric(cell, context.types),
  };
}

const AMOUNTS = new Set(['money', 'number', 'percent', 'unit', 'count']);

/** A cell that holds one value that is a number, or is formatted as one (with fixed signs around it). */
function isNumeric(cell: readonly Inline[], types: CompileContext['types']): boolean {
  let values = 0;
  for (const node of cell) {
    if (node.kind === 'text') {
      if (/\p{L}/u.test(node.text)) return false;
      if (/\d/.test(node.text)) values += 1;
    } else if (node.kind === 'strong' || node.kind === 'emphasis' || node.kind === 'struck') {
      if (!isNumeric(node.children, types)) return false;
      values += 1;
    } else if (node.kind === 'insert') {
      const { value } = node;
      const number = types.get(value)?.members.every((member) => member.kind === 'number') ?? false;
      if (!number && !(value.kind === 'format' && AMOUNTS.has(value.name))) return false;
      values += 1;
    } else return false;
  }
  return values > 0;
}
