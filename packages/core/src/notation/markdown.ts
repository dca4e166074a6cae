import { fromMarkdown, type Extension as MdastExtension } from 'mdast-util-from-markdown';
import { gfmStrikethroughFromMarkdown } from 'mdast-util-gfm-strikethrough';
import { gfmTableFromMarkdown } from 'mdast-util-gfm-table';
import type { Definition, Nodes, Parent, PhrasingContent, RootContent, TableCell } from 'mdast';
import { cjkFriendlyExtension } from 'micromark-extension-cjk-friendly';
import { gfmStrikethroughCjkFriendly } from 'micromark-extension-cjk-friendly-gfm-strikethrough';
import { gfmTable } from 'micromark-extension-gfm-table';
import type { Extension } from 'micromark-util-types';
import { problem, SourceText, type Place, type Problem } from '../problems/index.js';
import type { Insertion } from './expression.js';
import { BASE, hide, HIDDEN, shown, type Hidden } from './hidden.js';
import { linkMarks, withMark } from './link-marks.js';
import { isComment, joinTexts } from './prose-comments.js';
import { cut, noSteering } from './parts.js';
import { steered } from './steering.js';
import type { Flow, Inline, ListItem, Part, Verbatim } from './tree.js';

/** Lines of one stretch of prose, each with its offset in the source (the indentation of its block is cut away). */
export interface Region {
  readonly lines: readonly { readonly text: string; readonly offset: number }[];
}

const PHRASING_ONLY = [
  'blockQuote',
  'codeFenced',
  'codeIndented',
  'definition',
  'headingAtx',
  'htmlFlow',
  'list',
  'setextUnderline',
  'thematicBreak',
];

// One line in which CommonMark sees nothing but text. Most cells and labels are such, and the parser's cost is by call.
const PLAIN = /^(?! )[^*_`~\\[\]!<>&\p{Cc}]+(?<! )$/u;
// The same where blocks can begin: lines that begin with a letter or a value are a paragraph.
const PLAIN_PARAGRAPH = /^[\p{L}\uFDD0][^*_`~|\\[\]!<>&\p{Cc}]*(?<! )(?:\n[\p{L}\uFDD0][^*_`~|\\[\]!<>&\p{Cc}]*(?<! ))*$/u;

/** What CommonMark is extended by: tables and struck-out text (GFM), and emphasis that works beside CJK punctuation. */
const TABLES = gfmTable();
const CJK_EMPHASIS = cjkFriendlyExtension();
// One tilde stays a tilde.
const STRUCK = gfmStrikethroughCjkFriendly({ singleTilde: false });
const MDAST: MdastExtension[] = [gfmTableFromMarkdown(), gfmStrikethroughFromMarkdown()];

/** The extensions that a text can have a use for: each costs time, and most texts have none. */
function extensionsFor(text: string): Extension[] {
  const out: Extension[] = [];
  if (text.includes('|')) out.push(TABLES);
  if (text.includes('~~')) out.push(STRUCK);
  if (/[\u1100-\uFDCF\uFDF0-\uFFFF]/.test(text)) out.push(CJK_EMPHASIS);
  return out;
}

/** Marks of emphasis, links and code in one block: what they mean takes time that grows with the square of their number. */
const MOST_MARKS = 3000;

/** Where a block has too many marks. */
function crowdedAt(text: string): number | undefined {
  let from = 0;
  for (const block of text.split(/\n[ \t]*(?=\n)/)) {
    let marks = 0;
    for (const { index } of block.matchAll(/[*_~<[\]`]/g)) {
      marks += 1;
      if (marks > MOST_MARKS) return Math.min(from + index, text.length - 1);
    }
    from += block.length + 1;
  }
  return undefined;
}

/** Levels that prose may nest: quotes in quotes, lists in lists, emphasis in emphasis. */
const MAX_PROSE_DEPTH = 32;

/** Reads the prose of one source; made once a source, used for each of its regions. */
export class Prose {
  readonly #hidden: Hidden[] = [];

  constructor(
    private readonly source: SourceText,
    private readonly problems: Problem[],
  ) {}

  /** CommonMark blocks. `column`: how far the lines were indented before their indentation was cut. */
  flow(region: Region, column = 0): Flow[] {
    const reading = this.#open(region, column);
    if (PLAIN_PARAGRAPH.test(reading.text)) {
      const place = reading.place(0, reading.text.length);
      return [{ kind: 'paragraph', children: reading.inlinesOf(reading.text, place), place }];
    }
    const nodes = this.#parse(reading, []);
    return nodes === undefined ? [] : reading.tree(nodes);
  }

  /** A single line of phrasing: nothing in it makes a heading, list or quote. */
  inline(region: Region): Inline[] {
    const reading = this.#open(region);
    if (PLAIN.test(reading.text)) return reading.inlinesOf(reading.text, reading.place(0, reading.text.length));
    const tree = this.#parse(reading, PHRASING_ONLY);
    if (tree === undefined || !reading.isShallow(tree)) return [];
    return tree.flatMap((node) => (node.type === 'paragraph' ? reading.inlines(node.children) : []));
  }

  /** Text as it stands, with values and `{{ if }}` in it. */
  verbatim(region: Region): Verbatim[] {
    const reading = this.#open(region);
    return reading.linesAsTheyStand() as Verbatim[];
  }

  /** @returns undefined when that costs too much; the problem is noted then */
  #parse(reading: Reading, without: string[]): RootContent[] | undefined {
    const { text } = reading;
    // A quote in a quote in a quote …: what goes past every bound is not even read.
    const deep = /^(?:(?:[ \t]*(?:>|[-*+][ \t]|\d{1,9}[.)][ \t])){33}|[ \t]{100,}(?:>|[-*+][ \t]|\d{1,9}[.)][ \t]))/m.exec(text);
    if (deep !== null) {
      reading.tooDeep(reading.place(0, 1));
      return undefined;
    }
    const crowded = crowdedAt(text);
    if (crowded !== undefined) {
      reading.tooCrowded(reading.place(crowded, 1));
      return undefined;
    }
    const extensions = extensionsFor(text);
    if (without.length > 0) extensions.push({ disable: { null: [...without, 'table'] } });
    return fromMarkdown(text, { extensions, mdastExtensions: extensions.length === 0 ? [] : MDAST }).children;
  }

  #open(region: Region, column = 0): Reading {
    const { source } = this;
    const starts: number[] = [];
    let text = '';
    for (const line of region.lines) {
      starts.push(text.length);
      text += `${line.text}\n`;
    }
    text = text.slice(0, -1);
    const toSource = (offset: number): number => {
      // The last line that begins at or before the offset.
      let low = 0;
      let high = starts.length - 1;
      while (low < high) {
        const middle = (low + high + 1) >> 1;
        if ((starts[middle] ?? 0) <= offset) low = middle;
        else high = middle - 1;
      }
      return (region.lines[low]?.offset ?? 0) + offset - (starts[low] ?? 0);
    };
    return new Reading({ text: this.#hide(text, toSource), toSource, source, hidden: this.#hidden, problems: this.problems, column });
  }

  #hide(text: string, toSource: (offset: number) => number): string {
    if (!text.includes('{{')) return text;
    const { source } = this;
    // The insertions are cut out of the region's own text, whose faults are then told at the source's places.
    const local = new RegionSource(source, text, toSource);
    let out = '';
    for (const piece of cut(local, 0, text.length, this.problems)) {
      const length = piece.to - piece.from;
      if (piece.kind === 'text') out += text.slice(piece.from, piece.to);
      else if (piece.kind === 'insertion' && piece.insertion === undefined) out += ' '.repeat(length);
      else if (this.#hidden.length >= BASE ** Math.min(length - 2, 4)) {
        this.problems.push(
          problem('too-many-insertions', local.place(piece.from, length), 'This source has too many insertions.', 'Split it into blocks.'),
        );
        out += ' '.repeat(length);
      } else {
        out += hide(this.#hidden.length, length);
        this.#hidden.push(piece.kind === 'braces' ? { kind: 'braces' } : { kind: 'insertion', insertion: piece.insertion as Insertion });
      }
    }
    return out;
  }
}

/** A region's text that reports places in the source it was cut from. */
class RegionSource extends SourceText {
  constructor(
    private readonly origin: SourceText,
    text: string,
    private readonly toSource: (offset: number) => number,
  ) {
    super(origin.file, text);
  }
  override place(offset: number, length = 1): Place {
    return this.origin.place(this.toSource(offset), length);
  }
}

interface ReadingInput {
  /** The region, its insertions hidden. */
  readonly text: string;
  /** The offset in the source of an offset in the region. */
  readonly toSource: (offset: number) => number;
  readonly source: SourceText;
  readonly hidden: readonly Hidden[];
  readonly problems: Problem[];
  /** Where the region begins in its first line. */
  readonly column: number;
}

/** Turns the Markdown parser's tree of one region into ours. */
class Reading {
  #definitions = new Map<string, Definition>();

  constructor(private readonly input: ReadingInput) {}

  get text(): string {
    return this.input.text;
  }

  place(from: number, length: number): Place {
    return this.input.source.place(this.input.toSource(from), length);
  }

  tree(nodes: readonly RootContent[]): Flow[] {
    if (!this.isShallow(nodes)) return [];
    this.#collectDefinitions(nodes);
    return this.flows(nodes);
  }

  /** Whether prose keeps within its bound of nesting; looked at without recursion. */
  isShallow(nodes: readonly Nodes[]): boolean {
    const left: (readonly [Nodes, number])[] = nodes.map((node) => [node, 1]);
    for (let next = left.pop(); next !== undefined; next = left.pop()) {
      const [node, depth] = next;
      if (depth > MAX_PROSE_DEPTH * 2) {
        this.tooDeep(this.at(node));
        return false;
      }
      if ('children' in node) for (const child of (node as Parent).children) left.push([child, depth + 1]);
    }
    return true;
  }

  tooCrowded(place: Place): void {
    this.input.problems.push(
      problem(
        'crowded',
        place,
        `This paragraph or list has more than ${MOST_MARKS} marks of emphasis, links or code.`,
        'Divide it with a blank line, or loop over data with ":::each".',
      ),
    );
  }

  tooDeep(place: Place): void {
    this.input.problems.push(
      problem('nesting', place, `Quotes, lists or emphasis nest deeper than ${MAX_PROSE_DEPTH} levels here.`, 'Take a level out.'),
    );
  }

  #collectDefinitions(nodes: readonly Nodes[]): void {
    for (const node of nodes) {
      if (node.type === 'definition' && node.identifier.startsWith('^'))
        this.input.problems.push(
          problem('footnote', this.at(node), 'An email has no footnotes.', 'Put the remark where it belongs, or into ":::fineprint".'),
        );
      if (node.type === 'definition') this.#definitions.set(node.identifier, node);
      if ('children' in node) this.#collectDefinitions((node as Parent).children);
    }
  }

  at(node: Nodes): Place {
    const from = node.position?.start.offset ?? 0;
    return this.place(from, (node.position?.end.offset ?? from) - from);
  }

  flows(nodes: readonly RootContent[]): Flow[] {
    return nodes.flatMap((node): Flow[] => {
      const place = this.at(node);
      switch (node.type) {
        case 'heading':
          return [{ kind: 'heading', depth: node.depth, children: this.inlines(node.children), place }];
        case 'paragraph':
          this.#strayLines(node, place);
          return [{ kind: 'paragraph', children: this.inlines(node.children), place }];
        case 'table': {
          const cells = (row: readonly TableCell[]): Inline[][] => row.map((cell) => this.inlines(cell.children));
          const [head, ...rows] = node.children.map((row) => cells(row.children));
          return [{ kind: 'table', align: node.align ?? [], head: head ?? [], rows, place }];
        }
        case 'list': {
          const items = node.children.map((item): ListItem => ({
            kind: 'item',
            children: this.flows(item.children),
            place: this.at(item),
            column: this.input.column + (item.children[0]?.position?.start.column ?? (item.position?.start.column ?? 0) + 2) - 1,
          }));
          const tight = !(node.spread ?? false) && !node.children.some((item) => item.spread);
          return [{ kind: 'list', ordered: node.ordered ?? false, start: node.start ?? 1, tight, items, place }];
        }
        case 'blockquote':
          return [{ kind: 'quote', children: this.flows(node.children), place }];
        case 'code':
          return [{ kind: 'code', parts: this.parts(node.value, place), place }];
        case 'thematicBreak':
          return [{ kind: 'rule', place }];
        case 'html':
          return isComment(node.value) ? [] : this.#noHtml(place);
        case 'break':
        case 'definition':
        case 'delete':
        case 'emphasis':
        case 'footnoteDefinition':
        case 'footnoteReference':
        case 'image':
        case 'imageReference':
        case 'inlineCode':
        case 'link':
        case 'linkReference':
        case 'listItem':
        case 'strong':
        case 'tableCell':
        case 'tableRow':
        case 'text':
        case 'yaml':
        default:
          return [];
      }
    });
  }

  /** Lines of a paragraph that would be a block or a table anywhere else, and are words where they stand. */
  #strayLines(node: Nodes, place: Place): void {
    const [from, to] = [node.position?.start.offset ?? 0, node.position?.end.offset ?? 0];
    const text = this.text.slice(from, to);
    const directive = /(?:^|\n)[ \t>]*(:::?(?:[A-Za-z][A-Za-z0-9-]*)?)(?=[ \t\n]|$)/.exec(text);
    if (directive !== null)
      this.input.problems.push(
        problem(
          'block-here',
          this.place(from + directive.index + directive[0].length - (directive[1] ?? '').length, (directive[1] ?? '').length),
          'A block cannot begin inside of a quote, or on the line of a list’s mark.',
          'Quote with ":::quote" … ":::"; in a list, put the block on a line of its own, indented like the item’s text.',
        ),
      );
    else if (text.startsWith('|'))
      this.input.problems.push(
        problem(
          'table-form',
          place,
          'This looks like a row of a table, but there is no table here.',
          'A table begins with a line of headings and a line "|---|---|". Rows from a loop belong into ":::ledger". For a bar, write \\|.',
        ),
      );
  }

  #noHtml(place: Place): [] {
    this.input.problems.push(
      problem(
        'html-in-prose',
        place,
        'HTML has no meaning in a Markdown source.',
        'Use ":::raw html" … ":::", or write the mail as message.html. A literal "<" is written \\<.',
      ),
    );
    return [];
  }

  #steered(pieces: readonly (Inline | Insertion)[]): Inline[] {
    return steered(pieces, { problems: this.input.problems, maxDepth: MAX_PROSE_DEPTH });
  }

  inlines(nodes: readonly PhrasingContent[]): Inline[] {
    const { bare, marks } = linkMarks(nodes);
    return this.#steered(bare.flatMap((node) => withMark(this.#inline(node), marks.get(node))).reduce(joinTexts, []));
  }

  #inline(node: PhrasingContent): (Inline | Insertion)[] {
    const place = this.at(node);
    switch (node.type) {
      case 'text':
        return this.#textPieces(node.value, place);
      case 'emphasis':
      case 'strong':
        return [{ kind: node.type, children: this.inlines(node.children), place }];
      case 'delete':
        return [{ kind: 'struck', children: this.inlines(node.children), place }];
      case 'link':
        return [
          {
            kind: 'link',
            to: this.parts(node.url, place),
            title: this.parts(node.title ?? '', place),
            children: this.inlines(node.children),
            place,
          },
        ];
      case 'linkReference': {
        const definition = this.#definitions.get(node.identifier);
        const to = this.parts(definition?.url ?? '', place);
        return [{ kind: 'link', to, title: this.parts(definition?.title ?? '', place), children: this.inlines(node.children), place }];
      }
      case 'image':
        return [
          {
            kind: 'picture',
            source: this.parts(node.url, place),
            alt: this.parts(node.alt ?? '', place),
            title: this.parts(node.title ?? '', place),
            place,
          },
        ];
      case 'imageReference': {
        const definition = this.#definitions.get(node.identifier);
        return [
          { kind: 'picture', source: this.parts(definition?.url ?? '', place), alt: this.parts(node.alt ?? '', place), title: [], place },
        ];
      }
      case 'inlineCode':
        return [{ kind: 'code', parts: this.parts(node.value, place), place }];
      case 'break':
        return [{ kind: 'break', place }];
      case 'html':
        return isComment(node.value) ? [] : this.#noHtml(place);
      case 'footnoteReference':
      default:
        return [];
    }
  }

  /** `place` is that of the whole text, or tells that of a part of it. */
  #textPieces(value: string, place: Place | ((from: number) => Place)): (Inline | Insertion)[] {
    const out: (Inline | Insertion)[] = [];
    let last = 0;
    const text = (part: string): void => {
      const before = out[out.length - 1];
      if (part === '') return;
      if (before?.kind === 'text') out[out.length - 1] = { ...before, text: before.text + part };
      else out.push({ kind: 'text', text: part, place: typeof place === 'function' ? place(last) : place });
    };
    for (const found of value.matchAll(HIDDEN)) {
      text(value.slice(last, found.index));
      last = found.index + found[0].length;
      const what = this.input.hidden[shown(found[1] ?? '')];
      if (what?.kind === 'braces') text('{{');
      else if (what?.insertion.kind === 'value') out.push({ kind: 'insert', value: what.insertion.value, place: what.insertion.place });
      else if (what !== undefined && what.insertion.kind !== 'comment') out.push(what.insertion);
    }
    text(value.slice(last));
    return out;
  }

  inlinesOf(value: string, place: Place): Inline[] {
    return this.#steered(this.#textPieces(value, place));
  }

  /** The whole text, each piece with its own place, none longer than a line. */
  linesAsTheyStand(): Inline[] {
    const lines = [...this.text.matchAll(/[^\n]+\n?|\n/g)];
    return this.#steered(lines.flatMap((line) => this.#textPieces(line[0], (from) => this.place(line.index + from, 1))));
  }

  /** Text and values where nothing else can stand; a trailing soft break is kept as it is. */
  parts(value: string, place: Place): Part[] {
    return this.#textPieces(value, place).flatMap((piece): Part[] => {
      if (piece.kind === 'text') return [piece.text];
      if (piece.kind === 'insert') return [piece.value];
      this.input.problems.push(noSteering(piece as Insertion));
      return [];
    });
  }
}
