import { BLOCKS, breaking, textClass, letters, lineHeight, type Background, type HtmlSide } from '../blocks/index.js';
import { colorClass, css, EDGE, fixed, markup, type Theme } from '../html/index.js';
import type {
  BlockUse,
  Fact,
  FactPart,
  Flow,
  Inline,
  ListItem,
  ListPart,
  Parts,
  Row,
  RowPart,
  Steering,
  Verbatim,
} from '../notation/index.js';
import type { Op } from '../render/index.js';
import { rawHtml } from './raw.js';
import { spend, type CompileContext } from './context.js';
import { entriesOf } from './own-blocks.js';
import { commonSide, contentOf, filling, inputsOf, inserted, partsAddress, richSay, steer, tidy, variantsOf, type Inner } from './sides.js';
import type { Names } from './values.js';

export interface HtmlSettings {
  readonly theme: Theme;
  readonly direction: 'ltr' | 'rtl';
  readonly column?: Column;
}

/** Where in the tree a compiler is. */
export interface HtmlScope {
  readonly names: Names;
  readonly background: Background;
  /** What a use of an own block holds, for its `content`. */
  readonly inner?: Inner | undefined;
  /** In the column of the mail itself, within no block. */
  readonly isRoot?: boolean;
}

/** Blocks that reach from side to side, with an edge of their own around what they hold. */
const FULL_WIDTH: ReadonlySet<string> = new Set(['card', 'band', 'fineprint']);
/** Blocks that hold what is in their place. */
const TRANSPARENT: ReadonlySet<string> = new Set(['content', 'body', 'only']);

/** Room between a strip over the full width and words outside of cards, in CSS pixels. A card follows closely. */
const UNDER_STRIP = 24;

const SPACER = `<div style="height:${UNDER_STRIP}px;line-height:${UNDER_STRIP}px;font-size:1px">&nbsp;</div>\n`;

/** Where in the column the last part ends, in the order of the mail: it is known when the next one is made. */
interface Column {
  isUnderStrip: boolean;
  /** Where branches begin that all follow the same part. */
  readonly starts: Map<Flow, boolean>;
}

/** What stands first in each branch, loop and local name. */
function firstsOf(nodes: readonly Flow[]): Flow[] {
  const [first] = nodes;
  if (first === undefined) return [];
  switch (first.kind) {
    case 'if':
      return first.branches.flatMap(({ body }) => firstsOf(body));
    case 'each':
      return [...firstsOf(first.body), ...firstsOf(first.otherwise)];
    case 'let':
      return firstsOf(first.body);
    case 'block':
    case 'code':
    case 'heading':
    case 'list':
    case 'paragraph':
    case 'quote':
    case 'rule':
    case 'table':
      return [first];
  }
}

/** A part of the column with the same edge as cards have. */
function section(body: readonly Op[], { isUnderStrip }: { readonly isUnderStrip: boolean }): Op[] {
  return markup`<table role="presentation" width="100%" cellpadding="0" cellspacing="0" border="0"><tr><td class="vp" style="padding:${isUnderStrip ? `${UNDER_STRIP}px` : '0'} ${EDGE}px${isUnderStrip ? ' 0' : ''}">
${body}</td></tr></table>
`;
}

type Leaf = Exclude<Flow, Steering<Flow>>;
type InlineLeaf = Exclude<Inline, Steering<Inline>>;

/** Makes the HTML of a tree. One object a scope and background: both change while walking down. */
export class HtmlCompiler implements HtmlSide {
  readonly theme: Theme;
  readonly background: Background;
  readonly direction: 'ltr' | 'rtl';
  readonly argument: HtmlSide['argument'];
  readonly word: HtmlSide['word'];
  readonly value: HtmlSide['value'];
  readonly parts: (parts: Parts) => Op[];
  readonly plain: HtmlSide['plain'];
  readonly say: HtmlSide['say'];
  readonly address: HtmlSide['address'];
  readonly pieces: HtmlSide['pieces'];
  readonly numeric: HtmlSide['numeric'];
  readonly rowsOf: HtmlSide['rowsOf'];
  readonly single: boolean;

  constructor(
    private readonly settings: HtmlSettings,
    private readonly context: CompileContext,
    private readonly scope: HtmlScope,
  ) {
    const { names } = scope;
    this.background = scope.background;
    this.theme = settings.theme;
    this.direction = settings.direction;
    const common = commonSide(names, context, 'html', fixed);
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

  #on(change: Partial<Background> | undefined): HtmlCompiler {
    return change === undefined
      ? this
      : new HtmlCompiler(this.settings, this.context, { ...this.scope, background: { ...this.background, ...change }, isRoot: false });
  }

  #inside(): HtmlCompiler {
    return this.scope.isRoot === true ? new HtmlCompiler(this.settings, this.context, { ...this.scope, isRoot: false }) : this;
  }

  /** Where a node is in the column itself: whether it begins at the same line as what is within cards, by itself or in its blocks. */
  #isAligned(node: Flow): boolean {
    if (node.kind === 'if' || node.kind === 'each' || node.kind === 'let') return true;
    if (node.kind !== 'block') return false;
    return FULL_WIDTH.has(node.name) || TRANSPARENT.has(node.name) || this.context.own.has(node.name);
  }

  /** What is in no card begins where the words in cards begin. */
  #column(nodes: readonly Flow[]): Op[] {
    const out: Op[] = [];
    let run: Flow[] = [];
    const flush = (): void => {
      if (run.length > 0) out.push(...this.#section(() => this.#inside().flow(run)));
      run = [];
    };
    for (const node of nodes) {
      if (!this.#isAligned(node)) {
        run.push(node);
        continue;
      }
      flush();
      out.push(...this.#underStrip(node, () => this.#steer<Leaf>([node], (leaf, side) => side.#leafInColumn(leaf))));
    }
    flush();
    return tidy(out);
  }

  #leafInColumn(node: Leaf): Op[] {
    const { column } = this.settings;
    const start = column?.starts.get(node);
    if (column !== undefined && start !== undefined) column.isUnderStrip = start;
    if (!this.#isAligned(node)) return this.#section(() => this.#inside().#leaf(node));
    if (node.kind !== 'block' || !FULL_WIDTH.has(node.name)) return this.#leaf(node);
    const made = this.#inside().#leaf(node);
    if (column !== undefined) column.isUnderStrip = node.name === 'band';
    return made;
  }

  /** A branch or loop that may be what stands first under a strip. */
  #underStrip(node: Flow, make: () => readonly Op[]): readonly Op[] {
    const { column } = this.settings;
    if (column?.isUnderStrip !== true || (node.kind !== 'if' && node.kind !== 'each' && node.kind !== 'let')) return make();
    const isBare = (leaf: Flow): boolean => leaf.kind !== 'block' || !(FULL_WIDTH.has(leaf.name) || this.context.own.has(leaf.name));
    if (node.kind === 'each') {
      // Only the first turn is under the strip: the room is before the loop.
      if (!firstsOf([node]).some(isBare)) return make();
      column.isUnderStrip = false;
      return [SPACER, ...make()];
    }
    for (const first of firstsOf([node])) column.starts.set(first, true);
    const made = make();
    // Where no branch is taken, what follows is under the strip.
    if (node.kind === 'if' && !node.branches.some(({ test }) => test === undefined)) column.isUnderStrip = true;
    return made;
  }

  #section(make: () => readonly Op[]): Op[] {
    const { column } = this.settings;
    const isUnderStrip = column?.isUnderStrip === true;
    if (column !== undefined) column.isUnderStrip = false;
    return section(make(), { isUnderStrip });
  }

  #in(names: Names): HtmlCompiler {
    return names === this.scope.names ? this : new HtmlCompiler(this.settings, this.context, { ...this.scope, names });
  }

  #steer<N extends { readonly kind: string }>(nodes: readonly unknown[], each: (node: N, side: HtmlCompiler) => Op[]): Op[] {
    return tidy(steer<N, Op>(nodes as readonly N[], this.scope.names, this.context, (node, names) => each(node, this.#in(names))));
  }

  flow(nodes: readonly Flow[], change?: Partial<Background>): Op[] {
    if (this.scope.isRoot === true && change === undefined) return this.#column(nodes);
    return this.#on(change).#steer<Leaf>(nodes, (node, side) => side.#leaf(node));
  }

  inline(nodes: readonly Inline[], change?: Partial<Background>): Op[] {
    return this.#on(change).#steer<InlineLeaf>(nodes, (node, side) => side.#inlineLeaf(node));
  }

  facts(nodes: readonly FactPart[], each: (fact: Fact, side: HtmlSide) => Op[]): Op[] {
    return this.#steer<Fact | BlockUse>(nodes, (node, side) => {
      if (node.kind !== 'block') return each(node, side);
      const given = side.#given<FactPart>(node);
      return given === undefined ? [] : given.side.facts(given.entries, each);
    });
  }

  rows(nodes: readonly RowPart[], each: (row: Row, side: HtmlSide) => Op[]): Op[] {
    return this.#steer<Row | BlockUse>(nodes, (node, side) => {
      if (node.kind !== 'block') return each(node, side);
      const given = side.#given<RowPart>(node);
      return given === undefined ? [] : given.side.rows(given.entries, each);
    });
  }

  /** The entries of a block that gives such, with the scope that they are in. */
  #given<T>(use: BlockUse): { readonly side: HtmlCompiler; readonly entries: readonly T[] } | undefined {
    const { context, settings, background } = this;
    const own = spend(context, use.place) ? context.own.get(use.name) : undefined;
    if (own === undefined) return undefined;
    const names = inputsOf(own, use, this.scope.names, context);
    return { side: new HtmlCompiler(settings, context, { names, background }), entries: entriesOf<T>(own) };
  }

  raw(nodes: readonly Verbatim[]): Op[] {
    return rawHtml(nodes, this.scope.names, this.context).html;
  }

  #leaf(node: Leaf): Op[] {
    if (!spend(this.context, node.place)) return [];
    const { theme, background, direction } = this;
    const prose = letters(theme, background.text, background.size);
    const near = direction === 'rtl' ? 'right' : 'left';
    switch (node.kind) {
      case 'heading':
        return this.#heading(node);
      case 'paragraph':
        return markup`<p class="${textClass(background.text)}" style="margin:0 0 16px;${prose}">${this.inline(node.children)}</p>
`;
      case 'list':
        return this.#list(node, '0 0 16px');
      case 'quote':
        return markup`<blockquote class="${colorClass('line', 'line')}" style="margin:0 0 16px;padding:4px 0 0;padding-${near}:16px;border-${near}:3px solid ${theme.color.line.light}">
${this.flow(node.children, { text: background.soft })}</blockquote>
`;
      case 'code': {
        const size = background.size - 2;
        const style = css({
          margin: '0 0 16px',
          padding: '12px 16px',
          'font-family': theme.font.mono,
          'font-size': size,
          'line-height': lineHeight(size),
          'background-color': theme.color.page.light,
          color: theme.color.text.light,
          'white-space': 'pre-wrap',
          'overflow-wrap': 'anywhere',
        });
        return markup`<pre class="${textClass('text')} ${colorClass('background', 'page')}" style="${style}">${this.parts(node.parts)}</pre>
`;
      }
      case 'rule':
        return markup`<hr class="${colorClass('line', 'line')}" style="margin:24px 0;border:0;border-top:1px solid ${theme.color.line.light}">
`;
      case 'table':
        return this.#table(node);
      case 'block':
        return this.#block(node);
    }
  }

  #table(node: Extract<Flow, { kind: 'table' }>): Op[] {
    const { theme, background, direction } = this;
    const near = direction === 'rtl' ? 'right' : 'left';
    const row = (cells: readonly (readonly Inline[])[], { heading }: { readonly heading: boolean }): Op[] =>
      markup`<tr>${node.align.flatMap((align, c) => {
        const tag = heading ? 'th' : 'td';
        const gap = c === node.align.length - 1 ? '0' : '12px';
        const style = letters(theme, heading ? background.soft : background.text, background.size, {
          'font-weight': heading ? 'bold' : 'normal',
          padding: direction === 'rtl' ? `8px 0 8px ${gap}` : `8px ${gap} 8px 0`,
          'text-align': align ?? near,
          hyphens: 'auto',
          'overflow-wrap': breaking(cells[c] ?? []),
          ...(align === 'right' ? { 'white-space': 'nowrap' } : {}),
          'border-bottom': `${heading ? 2 : 1}px solid ${theme.color.line.light}`,
        });
        return markup`<${tag}${heading ? ' scope="col"' : ''} class="vt ${textClass(heading ? background.soft : background.text)} ${colorClass('line', 'line')}" align="${align ?? near}" valign="top" style="${style}">${this.inline(cells[c] ?? [], heading ? { text: background.soft } : undefined)}</${tag}>`;
      })}</tr>
`;
    return markup`<table class="block-table" width="100%" cellpadding="0" cellspacing="0" border="0" style="${css({ margin: '0 0 24px', 'border-collapse': 'collapse' })}">
<thead>${row(node.head, { heading: true })}</thead>
<tbody>${node.rows.flatMap((cells) => row(cells, { heading: false }))}</tbody>
</table>
`;
  }

  #block(node: BlockUse): Op[] {
    const { settings, context } = this;
    const { background, inner, names, isRoot = false } = this.scope;
    if (node.name === 'content' && inner !== undefined) {
      const { nodes, isOwn } = filling(node, inner);
      if (isOwn) return this.flow(nodes);
      return new HtmlCompiler(settings, context, { names: inner.names.above(names.depth), background, inner: inner.inner, isRoot }).flow(
        nodes,
      );
    }
    const own = context.own.get(node.name);
    const variants = variantsOf(node, names);
    if (variants !== undefined) return [{ op: 'if', branches: variants.map(({ test, use }) => ({ test, body: this.#block(use) })) }];
    if (own === undefined) return BLOCKS.get(node.name)?.html(node, this) ?? [];
    const scope = { names: inputsOf(own, node, names, context), background, inner: { ...contentOf(node), names, inner }, isRoot };
    return new HtmlCompiler(settings, context, scope).flow(own.tree.body);
  }

  #heading(node: Extract<Flow, { kind: 'heading' }>): Op[] {
    const { theme, background } = this;
    const depth = Math.min(node.depth, 3) as 1 | 2 | 3;
    const size = theme.size[`h${depth}`];
    const style = css({
      margin: depth === 1 ? '0 0 16px' : '24px 0 12px',
      'font-family': theme.font.heading,
      'font-size': size,
      'line-height': Math.round(size * 1.25),
      'mso-line-height-rule': 'exactly',
      'font-weight': 'bold',
      color: theme.color[background.text].light,
    });
    return markup`<h${node.depth} class="${textClass(background.text)}" style="${style}">${this.inline(node.children)}</h${node.depth}>
`;
  }

  #list(node: Extract<Flow, { kind: 'list' }>, margin: string): Op[] {
    const { theme, background, direction } = this;
    const near = direction === 'rtl' ? 'right' : 'left';
    const tag = node.ordered ? 'ol' : 'ul';
    const start = node.ordered && node.start !== 1 ? ` start="${node.start}"` : '';
    return markup`<${tag}${start} class="${textClass(background.text)}" style="margin:${margin};padding:0;padding-${near}:24px;${letters(theme, background.text, background.size)}">
${this.#items(node.items, { tight: node.tight })}</${tag}>
`;
  }

  #items(items: readonly ListPart[], { tight }: { readonly tight: boolean }): Op[] {
    return this.#steer<ListItem>(items, (item, side) => {
      // In a tight list the items' paragraphs are no paragraphs (CommonMark 5.3), and lists stand close under them.
      const content = tight
        ? item.children.flatMap((child) => {
            if (child.kind === 'paragraph') return side.inline(child.children);
            return child.kind === 'list' ? side.#list(child, '6px 0 0') : side.flow([child]);
          })
        : side.flow(item.children);
      return markup`<li style="margin:0 0 ${tight ? 6 : 0}px">${content}</li>
`;
    });
  }

  #inlineLeaf(node: InlineLeaf): Op[] {
    const { theme, background } = this;
    const { names } = this.scope;
    switch (node.kind) {
      case 'text':
        return [fixed(node.text)];
      case 'insert': {
        const attributes = ` class="${textClass(background.link)}" style="color:${theme.color[background.link].light};text-decoration:underline"`;
        return [richSay(node, { names, context: this.context, as: 'html', attributes }) ?? inserted(node.value, names, 'html')];
      }
      case 'strong':
        return markup`<strong>${this.inline(node.children)}</strong>`;
      case 'emphasis':
        return markup`<em>${this.inline(node.children)}</em>`;
      case 'struck':
        return markup`<del>${this.inline(node.children)}</del>`;
      case 'link': {
        const href: Op = {
          op: 'address',
          address: partsAddress(node.to, { names, context: this.context, place: node.place, kind: 'link' }),
          as: 'html',
        };
        const title = node.title.length === 0 ? [] : markup` title="${this.parts(node.title)}"`;
        return markup`<a class="${textClass(background.link)}" href="${[href]}"${title}${node.track === undefined ? '' : ` data-track="${node.track}"`} style="color:${theme.color[background.link].light};text-decoration:underline">${this.inline(node.children)}</a>`;
      }
      case 'picture': {
        const source: Op = {
          op: 'address',
          address: partsAddress(node.source, { names, context: this.context, place: node.place, kind: 'picture' }),
          as: 'html',
        };
        return markup`<img src="${[source]}" alt="${this.parts(node.alt)}" style="max-width:100%;height:auto;border:0;vertical-align:middle">`;
      }
      case 'code':
        return markup`<code style="${css({ 'font-family': theme.font.mono, 'font-size': '0.92em' })}">${this.parts(node.parts)}</code>`;
      case 'break':
        return ['<br>\n'];
    }
  }
}
