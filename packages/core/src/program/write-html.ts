import { joined, tagsOf, type Tag } from '../html/index.js';
import type { Op } from '../render/index.js';
import { forbiddenIn, movedFault, steeringHere, type DomFault } from './dom.js';
import { holdsMark, markOf, piecesOf, rebuilt, tracesIn } from './marked.js';
import { inserted } from './sides.js';
import { crossing } from './steering.js';
import { attributeOps, sheetOps, type Writing } from './write-attributes.js';

/** What of a document is not to be written as it stands. Places are offsets in the marked text. */
export interface Changes {
  /** Attributes to be set, by the place of their tag. */
  readonly attributes: ReadonlyMap<number, ReadonlyMap<string, string>>;
  /** The new text of a `<style>`, or of a `<link>` to a style sheet, by its place. Empty: the element goes. */
  readonly sheets: ReadonlyMap<number, string>;
  readonly inserts: readonly { readonly at: number; readonly ops: readonly Op[] }[];
}

export const NO_CHANGES: Changes = { attributes: new Map(), sheets: new Map(), inserts: [] };

interface Edit {
  readonly from: number;
  readonly to: number;
  readonly ops: readonly Op[];
}

/**
 * Marked markup as operations: to the byte as it stands, but for values, addresses that have to become absolute, and what has to change.
 * It need not be a whole document.
 */
export function writeHtml(writing: Writing, changes: Changes = NO_CHANGES, from = 0): Op[] {
  const { html } = writing.marked;
  return joined(new Writer(writing, changes).range(from, html.length));
}

/** Goes along the tags of a markup; all offsets are those of the marked text. */
class Writer {
  /** Within a conditional comment, of which no document knows anything. */
  #isInComment = false;

  constructor(
    private readonly writing: Writing,
    private readonly changes: Changes,
  ) {}

  /** What stands from one offset to another, its tags within it. */
  range(from: number, to: number): Op[] {
    const { html } = this.writing.marked;
    const { tags, cutOff } = tagsOf(html.slice(from, to));
    if (cutOff && this.#isInComment)
      this.#fault({
        code: 'html-open',
        message: 'A tag is not closed in this comment.',
        hint: 'Close it within the comment.',
        offset: from,
      });
    const steering = new Steering(this.writing);
    const inserts = [...this.changes.inserts].filter(({ at }) => at >= from && at <= to).sort((a, b) => a.at - b.at);
    let last = from;
    let within = '';
    const upTo = (end: number): void => {
      for (let next = inserts[0]; next !== undefined && next.at <= end; next = inserts[0]) {
        inserts.shift();
        steering.add(this.#text(last, next.at, within));
        steering.add(next.ops);
        last = next.at;
      }
      steering.add(this.#text(last, end, within));
      last = end;
    };
    for (let i = 0; i < tags.length; i += 1) {
      const tag = movedBy(tags[i] as Tag, from);
      const found = tag.kind === 'other' ? markOf(commentOf(html, tag) ?? '') : undefined;
      upTo(tag.from);
      last = tag.to;
      if (found !== undefined) {
        steering.mark(found, tag.from);
        continue;
      }
      const sheet = tag.kind === 'start' ? this.changes.sheets.get(tag.from) : undefined;
      if (sheet === undefined) {
        within = tag.kind === 'start' && (tag.name === 'style' || tag.name === 'title') ? tag.name : '';
        steering.add(this.#tag(tag));
        continue;
      }
      const end = tag.name === 'style' ? tags[i + 1] : undefined;
      const closes = end?.kind === 'end' ? movedBy(end, from) : undefined;
      if (closes !== undefined) {
        i += 1;
        last = closes.to;
      }
      steering.add(this.#sheet(tag, sheet, closes === undefined ? '</style>' : html.slice(closes.from, closes.to)));
    }
    upTo(to);
    return steering.done();
  }

  #fault(fault: DomFault): void {
    this.writing.faults.push(fault);
  }

  /** Text between two tags. */
  #text(from: number, to: number, within: string): Op[] {
    if (from >= to) return [];
    const { marked } = this.writing;
    const text = marked.html.slice(from, to);
    if (within !== '' && holdsMark(text)) {
      this.#fault(steeringHere(`<${within}>`, from));
      return [];
    }
    const pieces = piecesOf(text, marked.hidden);
    if (within === 'style') return sheetOps(pieces, from, this.writing);
    return pieces.map((piece, i): Op => {
      if (typeof piece === 'string') return typeof pieces[i + 1] === 'object' ? withoutOpenReference(piece) : piece;
      return piece.op === 'slot' ? inserted(piece.expression, piece.names, 'html') : piece;
    });
  }

  /** A `<style>` with a new text, in place of a `<style>` or of a `<link>`. */
  #sheet(tag: Tag, text: string, end: string): Op[] {
    if (text === '') return [];
    const open = tag.name === 'style' ? this.#tag(tag) : ['<style>'];
    return [...open, ...sheetOps(piecesOf(text, this.writing.marked.hidden), tag.from, this.writing), end];
  }

  #tag(tag: Tag): Op[] {
    const { marked } = this.writing;
    const source = marked.html.slice(tag.from, tag.to);
    if (tag.kind === 'other') return this.#comment(tag, source);
    if (tag.kind === 'end') {
      if (tracesIn(source).length > 0) this.#fault(movedFault(tag.from));
      return [source];
    }
    const names = tag.attributes.map(({ name }) => name);
    const refresh = tag.attributes.some(({ name, value }) => name === 'http-equiv' && /refresh/i.test(value));
    // What is forbidden in the document itself was reported when it was looked through.
    // The Word engine alone reads <noscript> in a comment, and runs nothing either way.
    const isSeen = this.#isInComment && tag.name !== 'noscript';
    const fault = isSeen ? forbiddenIn(tag.name, names, { refresh }) : undefined;
    if (fault !== undefined) {
      this.#fault({ ...fault, offset: tag.from });
      return [];
    }
    const traces = tag.attributes.reduce((sum, { name, value }) => sum + tracesIn(name).length + tracesIn(value).length, 0);
    if (tracesIn(source).length !== traces) this.#fault(movedFault(tag.from));
    return edited(source, tag.from, this.#edits(tag));
  }

  /** What changes within a tag. */
  #edits(tag: Tag): Edit[] {
    const set = new Map(this.changes.attributes.get(tag.from) ?? []);
    const edits = tag.attributes.flatMap((attribute): Edit[] => {
      const value = set.get(attribute.name);
      set.delete(attribute.name);
      const ops = attributeOps(value === undefined ? attribute : { ...attribute, value }, this.writing, value !== undefined);
      return ops === undefined ? [] : [{ from: attribute.from, to: attribute.to, ops }];
    });
    const source = this.writing.marked.html.slice(tag.from, tag.to);
    const at = tag.to - (tag.selfClosing && source.endsWith('/>') ? 2 : 1);
    const added = [...set].flatMap(([name, value]) => [
      ' ',
      ...(attributeOps({ name, value, from: tag.from, to: tag.from }, this.writing, true) ?? []),
    ]);
    return added.length === 0 ? edits : [...edits, { from: at, to: at, ops: added }];
  }

  /** A comment. What a conditional one holds is markup for the Word engine, and is treated as such. */
  #comment(tag: Tag, source: string): Op[] {
    const data = commentOf(this.writing.marked.html, tag);
    if (holdsMark(source)) {
      this.#fault(steeringHere('a comment', tag.from));
      return [];
    }
    const conditional = data === undefined ? undefined : conditionalOf(data);
    if (conditional !== undefined) {
      const from = tag.from + '<!--'.length + conditional.from;
      const to = from + conditional.inner.length;
      this.#isInComment = true;
      const inner = this.range(from, to);
      this.#isInComment = false;
      return [source.slice(0, from - tag.from), ...inner, source.slice(to - tag.from)];
    }
    if (tracesIn(source).length > 0) this.#fault(movedFault(tag.from));
    return [source];
  }
}

/** Puts branches and loops together again from the marks at their ends. */
class Steering {
  readonly #out: Op[] = [];
  readonly #stack: { readonly index: number; readonly bodies: Op[][] }[] = [];

  constructor(private readonly writing: Writing) {}

  add(ops: readonly Op[]): void {
    (this.#stack.at(-1)?.bodies.at(-1) ?? this.#out).push(...ops);
  }

  mark({ kind, index }: NonNullable<ReturnType<typeof markOf>>, offset: number): void {
    if (kind === 'begin') this.#stack.push({ index, bodies: [[]] });
    else if (this.#stack.at(-1)?.index !== index) this.writing.faults.push(crossing(offset));
    else if (kind === 'divide') this.#stack.at(-1)?.bodies.push([]);
    else {
      const done = this.#stack.pop();
      if (done !== undefined) this.add([rebuilt(this.writing.marked.hidden[done.index], done.bodies)]);
    }
  }

  done(): Op[] {
    if (this.#stack.length > 0) this.writing.faults.push(crossing(undefined));
    return this.#out;
  }
}

function movedBy(tag: Tag, by: number): Tag {
  if (by === 0) return tag;
  const attributes = tag.attributes.map((attribute) => ({ ...attribute, from: attribute.from + by, to: attribute.to + by }));
  return { ...tag, attributes, from: tag.from + by, to: tag.to + by };
}

function commentOf(html: string, { from, to }: Tag): string | undefined {
  const source = html.slice(from, to);
  return source.startsWith('<!--') && source.endsWith('-->') ? source.slice(4, -3) : undefined;
}

const CONDITIONAL = /^(\[if [^\]]*\]>)([\s\S]*?)(?:<!\[endif\]|<!(?:--)?)?$/;

/** The markup within a conditional comment, and where in the comment it begins. */
export function conditionalOf(data: string): { readonly inner: string; readonly from: number } | undefined {
  const found = CONDITIONAL.exec(data);
  return found === null ? undefined : { inner: found[2] ?? '', from: found[1]?.length ?? 0 };
}

/** A part of a source with other operations in some places. */
function edited(source: string, offset: number, edits: readonly Edit[]): Op[] {
  const out: Op[] = [];
  let last = offset;
  for (const { from, to, ops } of [...edits].sort((a, b) => a.from - b.from)) {
    out.push(source.slice(last - offset, from - offset), ...ops);
    last = to;
  }
  return [...out, source.slice(last - offset)];
}

/** A text after which a value comes: an ampersand at its end would make a character of what follows. */
function withoutOpenReference(text: string): string {
  return text.replace(/&(?=#?\w*$)/, '&amp;');
}
