import { BLOCKS, type Side } from '../blocks/index.js';
import { joined } from '../html/index.js';
import type { BlockUse, Branches, Expression, Flow, Inline, Loop } from '../notation/index.js';
import type { Op, Steer, Value } from '../render/index.js';
import type { Type } from '../typing/index.js';
import type { OwnBlock } from './own-blocks.js';
import { argumentValue, Names, partsOf, placed, valueOf } from './values.js';

/** What is the same for every mail that is being compiled. */
export interface CompileContext {
  readonly types: Pick<ReadonlyMap<Expression, Type>, 'get'>;
  /** Blocks of the mail folder's own. */
  readonly own: ReadonlyMap<string, OwnBlock>;
  /** How many loop variables were in reach at once so far. */
  deepest: number;
}

/** Turns branches and loops of the tree into branches and loops of operations; each entry gives any number of them. */
export function steer<N extends { readonly kind: string }, T>(
  nodes: readonly (N | Branches<unknown> | Loop<unknown>)[],
  names: Names,
  context: CompileContext,
  one: (node: N, names: Names) => readonly T[],
): (T | Steer<T>)[] {
  const inner = (body: readonly unknown[], scope: Names): T[] => steer<N, T>(body as readonly N[], scope, context, one) as T[];
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
      const position = node.position === undefined ? undefined : entry.names.with(node.position);
      const scope = position?.names ?? entry.names;
      context.deepest = Math.max(context.deepest, scope.depth);
      return [
        {
          op: 'each',
          slot: entry.slot,
          positionSlot: position?.slot,
          list: valueOf(node.list, names),
          body: inner(node.body, scope),
          otherwise: inner(node.otherwise, names),
        },
      ];
    }
    return one(node as N, names);
  });
}

/** What a caller put inside a block of one's own, to be set where the block says `::content`. */
export interface Inner {
  readonly nodes: readonly Flow[];
  readonly names: Names;
  /** What stands inside the caller, where the caller is such a block too. */
  readonly inner: Inner | undefined;
}

/** The names that a block of one's own sees at this use. */
export function inputsOf(own: OwnBlock, use: BlockUse, names: Names): Names {
  const values = own.inputs.map((input) => {
    const given = use.args.find((one) => one.name === input.name);
    const usual: Value = { k: 'const', value: input.usual };
    return [input.name, given === undefined ? usual : argumentValue(given.parts, names, input.type)] as const;
  });
  return Names.ofInputs(values, names.depth);
}

/** Texts that stand beside each other are joined, also inside branches and loops. */
export function tidy(ops: readonly Op[]): Op[] {
  return joined(
    ops.map((op): Op => {
      if (typeof op === 'string') return op;
      if (op.op === 'if') return { ...op, branches: op.branches.map((one) => ({ ...one, body: tidy(one.body) })) };
      if (op.op === 'each') return { ...op, body: tidy(op.body), otherwise: tidy(op.otherwise) };
      return op;
    }),
  );
}

/** The part of a block's side that HTML and text have in common. */
export function commonSide(names: Names, context: CompileContext, as: 'html' | 'text', fixed: (text: string) => string): Side {
  const argument: Side['argument'] = (use, name) => use.args.find((one) => one.name === name);
  return {
    argument,
    word: (use: BlockUse, name, usual) => {
      const parts = argument(use, name)?.parts ?? [];
      const text = parts.filter((part) => typeof part === 'string').join('');
      return text === '' ? usual : text;
    },
    value: (use, name) =>
      argumentValue(argument(use, name)?.parts ?? [], names, BLOCKS.get(use.name)?.signature.args.find((one) => one.name === name)?.type),
    parts: (parts) => parts.map((part): Op => (typeof part === 'string' ? fixed(part) : { op: 'put', value: valueOf(part, names), as })),
    address: (arg) => ({ op: 'address', parts: partsOf(arg.parts, names), as, at: placed(arg.place) }),
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
    } else if (node.kind === 'strong' || node.kind === 'emphasis') {
      if (!isNumeric(node.children, types)) return false;
      values += 1;
    } else if (node.kind === 'insert') {
      const { value } = node;
      const number = types.get(value)?.members.every((one) => one.kind === 'number') ?? false;
      if (!number && !(value.kind === 'format' && AMOUNTS.has(value.name))) return false;
      values += 1;
    } else return false;
  }
  return values > 0;
}
