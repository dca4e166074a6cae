import { problem, type Place, type Problem, type SourceText } from '../problems/index.js';
import { COMMENT } from './parts.js';

interface Line {
  readonly text: string;
  readonly offset: number;
}

const DIRECTIVE = /^[ \t]*:::?[A-Za-z]/;
const COMMENT_LINE = /^[ \t]*(:::?)#(?=[ \t]|$)/;

/**
 * Takes comments out of the lines of a source: `::# …`, `{{# … }}` and, in Markdown, `<!-- … -->`. A comment over several lines can hold
 * blocks. One within a line of text stays in it, so that offsets stay those of the source; it is passed over when the text is read.
 */
export class Comments {
  #open: { readonly end: string; readonly place: Place } | undefined;

  constructor(
    private readonly source: SourceText,
    private readonly problems: Problem[],
  ) {}

  /** @param html whether `<!-- … -->` is a comment here @returns undefined where nothing is left of the line */
  strip(line: Line, { html }: { readonly html: boolean }): Line | undefined {
    let { text, offset } = line;
    if (this.#open !== undefined) {
      const end = text.indexOf(this.#open.end);
      if (end === -1) return undefined;
      const from = end + this.#open.end.length;
      this.#open = undefined;
      text = text.slice(from);
      offset += from;
      if (text.trim() === '') return undefined;
    }
    const whole = COMMENT_LINE.exec(text);
    if (whole !== null) {
      if (whole[1] === ':::')
        this.problems.push(
          problem('comment-form', this.source.place(offset, text.length), 'A comment line begins with two colons: "::# …".'),
        );
      return undefined;
    }
    if (!text.includes('{{#') && !(html && text.includes('<!--'))) return { text, offset };
    return this.#cut({ text, offset }, html);
  }

  #cut({ text, offset }: Line, html: boolean): Line | undefined {
    let left = '';
    let at = 0;
    let isOnly = true;
    for (const comment of commentsIn(text, html)) {
      if (text.slice(at, comment.from).trim() !== '') isOnly = false;
      left += text.slice(at, comment.from);
      if (comment.to === undefined) {
        this.#open = { end: comment.end, place: this.source.place(offset + comment.from, comment.end === '}}' ? 3 : 4) };
        return left.trim() === '' ? undefined : { text: text.slice(0, comment.from).trimEnd(), offset };
      }
      at = comment.to;
    }
    const rest = text.slice(at);
    if (isOnly && rest.trim() === '') return undefined;
    // The parser of Markdown would take the whole line for HTML; a block reads its arguments from the line.
    if (isOnly && html && text.trimStart().startsWith('<!--')) return { text: rest, offset: offset + at };
    if (rest.trim() === '' && DIRECTIVE.test(text)) return { text: left.trimEnd(), offset };
    return { text, offset };
  }

  /** Reports a comment that the source does not close. */
  close(): void {
    if (this.#open === undefined) return;
    const { end, place } = this.#open;
    this.problems.push(problem('comment-open', place, 'This comment is not closed.', `Close it with "${end}".`));
  }
}

interface Found {
  readonly from: number;
  /** After its end; undefined where it goes on in the next line. */
  readonly to: number | undefined;
  readonly end: string;
}

function* commentsIn(text: string, html: boolean): Generator<Found> {
  let at = 0;
  for (;;) {
    const braces = text.indexOf('{{', at);
    const markup = html ? text.indexOf('<!--', at) : -1;
    if (braces === -1 && markup === -1) return;
    const isMarkup = markup !== -1 && (braces === -1 || markup < braces);
    const from = isMarkup ? markup : braces;
    COMMENT.lastIndex = from;
    const isEscaped = text[from - 1] === '\\' || text.startsWith('{{{{', from);
    if (!isMarkup && (isEscaped || !COMMENT.test(text))) {
      // A value: what looks like a comment within its strings is not one.
      const end = isEscaped ? from + (text.startsWith('{{{{', from) ? 4 : 2) : text.indexOf('}}', from);
      if (end === -1) return;
      at = Math.max(end, from + 2);
      continue;
    }
    const end = isMarkup ? '-->' : '}}';
    const close = text.indexOf(end, from + (isMarkup ? 4 : 3));
    yield { from, to: close === -1 ? undefined : close + end.length, end };
    if (close === -1) return;
    at = close + end.length;
  }
}
