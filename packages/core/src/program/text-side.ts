import { BLOCKS, type TextSide } from '../blocks/index.js';
import { joined } from '../html/index.js';
import type { BlockUse, Fact, FactPart, Flow, Inline, ListItem, Parts, Row, RowPart, Steering, Verbatim } from '../notation/index.js';
import type { Op, Steer, TextItem, TextOp } from '../render/index.js';
import { rawHtml } from './raw.js';
import { spend, type CompileContext } from './context.js';
import { entriesOf } from './own-blocks.js';
import { commonSide, contentOf, filling, inputsOf, inserted, partsAddress, richSay, steer, tidy, variantsOf, type Inner } from './sides.js';
import { valueOf, type Names } from './values.js';

type Leaf = Exclude<Flow, Steering<Flow>>;
type InlineLeaf = Exclude<Inline, Steering<Inline>>;

/** White space of a source's text is one space; a line ends where the wrapping says. */
function running(text: string): string {
  return text.replace(/\s+/g, ' ');
}

/** Makes the text part of a tree: the same tree, the same scopes as the HTML. */
export class TextCompiler implements TextSide {
  readonly argument: TextSide['argument'];
  readonly word: TextSide['word'];
  readonly value: TextSide['value'];
  readonly parts: (parts: Parts) => Op[];
  readonly plain: TextSide['plain'];
  readonly say: TextSide['say'];
  readonly address: TextSide['address'];
  readonly pieces: TextSide['pieces'];
  readonly numeric: TextSide['numeric'];
  readonly rowsOf: TextSide['rowsOf'];
  readonly single: boolean;

  constructor(
    private readonly context: CompileContext,
    private readonly names: Names,
    private readonly inner?: Inner,
  ) {
    const common = commonSide(names, context, 'text', running);
    this.argument = common.argument;
    this.word = common.word;
    this.value = common.value;
    this.parts = common.parts;
    this.plain = common.plain;
    this.say = common.say;
    this.address = common.address;
    this.pieces = common.pieces;
    this.single = context.single;
    this.numeric = common.numeric;
    this.rowsOf = common.rowsOf;
  }

  #in(names: Names): TextCompiler {
    return names === this.names ? this : new TextCompiler(this.context, names, this.inner);
  }

  #steer<N extends { readonly kind: string }, T>(
    nodes: readonly unknown[],
    each: (node: N, side: TextCompiler) => readonly T[],
  ): (T | Steer<T>)[] {
    return steer<N, T>(nodes as readonly N[], this.names, this.context, (node, names) => each(node, this.#in(names)));
  }

  flow(nodes: readonly Flow[]): TextOp[] {
    return this.#steer<Leaf, TextOp>(nodes, (node, side) => side.#leaf(node));
  }

  inline(nodes: readonly Inline[]): Op[] {
    return tidy(this.#steer<InlineLeaf, Op>(nodes, (node, side) => side.#inlineLeaf(node)));
  }

  facts<T>(nodes: readonly FactPart[], each: (fact: Fact, side: TextSide) => T): (T | Steer<T>)[] {
    return this.#steer<Fact | BlockUse, T>(nodes, (node, side) => {
      if (node.kind !== 'block') return [each(node, side)];
      const given = side.#given<FactPart>(node);
      return given === undefined ? [] : (given.side.facts(given.entries, each) as T[]);
    });
  }

  rows<T>(nodes: readonly RowPart[], each: (row: Row, side: TextSide) => T): (T | Steer<T>)[] {
    return this.#steer<Row | BlockUse, T>(nodes, (node, side) => {
      if (node.kind !== 'block') return [each(node, side)];
      const given = side.#given<RowPart>(node);
      return given === undefined ? [] : (given.side.rows(given.entries, each) as T[]);
    });
  }

  /** The entries of a block that gives such, with the scope that they are in. */
  #given<T>(use: BlockUse): { readonly side: TextCompiler; readonly entries: readonly T[] } | undefined {
    const { context, names } = this;
    const own = spend(context, use.place) ? context.own.get(use.name) : undefined;
    if (own === undefined) return undefined;
    return { side: new TextCompiler(context, inputsOf(own, use, names, context)), entries: entriesOf<T>(own) };
  }

  raw(nodes: readonly Verbatim[]): TextOp[] {
    return rawHtml(nodes, this.names, this.context).text;
  }

  #leaf(node: Leaf): TextOp[] {
    if (!spend(this.context, node.place)) return [];
    switch (node.kind) {
      case 'heading':
        return [{ op: 'heading', depth: node.depth, body: this.inline(node.children) }];
      case 'paragraph': {
        const [only] = node.children;
        // A link that is a paragraph of its own shows its address beside it, without a number.
        if (node.children.length === 1 && only?.kind === 'link') {
          return [
            {
              op: 'link',
              label: this.inline(only.children),
              to: {
                op: 'address',
                address: partsAddress(only.to, { names: this.names, context: this.context, place: only.place, kind: 'link' }),
                as: 'text',
              },
            },
          ];
        }
        return [{ op: 'paragraph', body: this.inline(node.children) }];
      }
      case 'list': {
        const items = this.#steer<ListItem, TextItem>(node.items, (item, side) => [{ op: 'item', body: side.flow(item.children) }]);
        return [{ op: 'list', ordered: node.ordered, start: node.start, tight: node.tight, items }];
      }
      case 'quote':
        return [{ op: 'inset', first: '> ', rest: '> ', body: this.flow(node.children) }];
      case 'code': {
        const lines = joined(
          node.parts.map((part): Op => (typeof part === 'string' ? part : { op: 'put', value: valueOf(part, this.names), as: 'text' })),
        );
        return [{ op: 'inset', first: '    ', rest: '    ', body: [{ op: 'lines', body: lines }] }];
      }
      case 'rule':
        return [{ op: 'rule' }];
      case 'table': {
        const rows = [node.head, ...node.rows].map((cells) => ({
          op: 'row' as const,
          cells: node.align.map((_, c) => this.inline(cells[c] ?? [])),
          total: false,
        }));
        return [{ op: 'table', right: node.align.map((align) => align === 'right'), head: true, rows }];
      }
      case 'block':
        return this.#block(node);
    }
  }

  #block(node: BlockUse): TextOp[] {
    const { context, inner, names } = this;
    if (node.name === 'content' && inner !== undefined) {
      const { nodes, isOwn } = filling(node, inner);
      return isOwn ? this.flow(nodes) : new TextCompiler(context, inner.names.above(names.depth), inner.inner).flow(nodes);
    }
    const own = context.own.get(node.name);
    const variants = variantsOf(node, names);
    if (variants !== undefined) return [{ op: 'if', branches: variants.map(({ test, use }) => ({ test, body: this.#block(use) })) }];
    if (own === undefined) return BLOCKS.get(node.name)?.text(node, this) ?? [];
    return new TextCompiler(context, inputsOf(own, node, names, context), { ...contentOf(node), names, inner }).flow(own.tree.body);
  }

  #inlineLeaf(node: InlineLeaf): Op[] {
    const { names } = this;
    switch (node.kind) {
      case 'text':
        return [running(node.text)];
      case 'insert':
        return [richSay(node, { names, context: this.context, as: 'text', attributes: '' }) ?? inserted(node.value, names, 'text')];
      // Words in plain text stand for themselves.
      case 'strong':
      case 'emphasis':
        return this.inline(node.children);
      case 'struck':
        return joined(['~', ...this.inline(node.children), '~']);
      case 'link': {
        const label = this.inline(node.children);
        const address = partsAddress(node.to, { names, context: this.context, place: node.place, kind: 'link' });
        const written = node.to.every((part) => typeof part === 'string') ? node.to.join('') : undefined;
        // Words that are the address already say where it leads.
        if (label.length === 1 && written !== undefined && label[0] === written.replace(/^mailto:/, '')) return label;
        return joined([...label, ' ', { op: 'note', address }]);
      }
      case 'picture':
        return node.alt.length === 0 ? [] : joined(['[', ...this.parts(node.alt), ']']);
      case 'code':
        return this.parts(node.parts);
      case 'break':
        return ['\n'];
    }
  }
}
