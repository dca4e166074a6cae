import { tokenize, tokenTypes } from 'css-tree/dist/csstree.esm';

/** A piece of a style sheet, from one offset to another. */
export interface Span {
  readonly from: number;
  readonly to: number;
}

export interface CssDeclaration extends Span {
  readonly kind: 'declaration';
  /** In small letters, but for custom properties. */
  readonly property: string;
  /** As written, without `!important` and comments around it. */
  readonly value: string;
  readonly important: boolean;
}

export interface CssRule extends Span {
  readonly kind: 'rule';
  readonly prelude: string;
  readonly body: readonly CssItem[];
}

export interface CssAtRule extends Span {
  readonly kind: 'at';
  /** In small letters. */
  readonly name: string;
  readonly prelude: string;
  /** Undefined for a statement, and where the block is not one of rules. */
  readonly body: readonly CssItem[] | undefined;
  /** What stands between its braces. */
  readonly inner: Span | undefined;
}

/** Something that browsers pass over: it stands where it stood. */
export interface CssFault extends Span {
  readonly kind: 'fault';
  readonly message: string;
}

export type CssItem = CssDeclaration | CssRule | CssAtRule | CssFault;

interface Token extends Span {
  readonly type: number;
}

const T = tokenTypes;
/** How deep braces and parentheses may be within each other. */
const MOST_DEEP = 64;
/** Mistakes in one style sheet; past that it is no style sheet. */
const MOST_FAULTS = 200;
/** Blocks of these hold rules. All others keep their contents as they are. */
const OF_RULES = new Set(['media', 'supports', 'layer', 'container', 'scope', 'starting-style', 'document', '-moz-document']);

const CLOSES = new Map<number, number>([
  [T.LeftCurlyBracket, T.RightCurlyBracket],
  [T.LeftParenthesis, T.RightParenthesis],
  [T.Function, T.RightParenthesis],
  [T.LeftSquareBracket, T.RightSquareBracket],
]);

/** Reads the structure of CSS as browsers do (CSS Syntax 3, 5.4), with nesting; every item knows where it is. */
class Reader {
  readonly #tokens: Token[] = [];
  #at = 0;
  isTooDeep = false;

  constructor(readonly text: string) {
    let depth = 0;
    tokenize(text, (type, from, to) => {
      this.#tokens.push({ type, from, to });
      if (CLOSES.has(type)) depth += 1;
      else if (type === T.RightCurlyBracket || type === T.RightParenthesis || type === T.RightSquareBracket) depth = Math.max(0, depth - 1);
      if (depth > MOST_DEEP) this.isTooDeep = true;
    });
  }

  #peek(): Token | undefined {
    return this.#tokens[this.#at];
  }

  /** The end of what was read so far. */
  #end(): number {
    return this.#tokens[this.#at - 1]?.to ?? 0;
  }

  #isBlank(token: Token): boolean {
    return token.type === T.WhiteSpace || token.type === T.Comment;
  }

  /** Reads one token, with all that is within its brackets. */
  #component(): void {
    // Brackets within each other are as many as the bound on depth.
    const open: number[] = [];
    do {
      const token = this.#peek();
      if (token === undefined) return;
      this.#at += 1;
      const close = CLOSES.get(token.type);
      if (close !== undefined) open.push(close);
      else if (token.type === open.at(-1)) open.pop();
    } while (open.length > 0);
  }

  /** Items up to the end, or to the brace that closes them. */
  items(nested: boolean): CssItem[] {
    const out: CssItem[] = [];
    for (let token = this.#peek(); token !== undefined; token = this.#peek()) {
      if (nested && token.type === T.RightCurlyBracket) break;
      const isSign = token.type === T.Semicolon ? nested : !nested && (token.type === T.CDO || token.type === T.CDC);
      if (this.#isBlank(token) || isSign) {
        this.#at += 1;
        continue;
      }
      if (token.type === T.AtKeyword) {
        out.push(this.#atRule(nested));
        continue;
      }
      const start = this.#at;
      const declaration = nested ? this.#declaration() : undefined;
      if (declaration !== undefined) {
        out.push(declaration);
        continue;
      }
      this.#at = start;
      out.push(this.#rule(nested));
    }
    return out;
  }

  /** What stands between braces, the closing one read. */
  #block(): { readonly body: CssItem[]; readonly inner: Span } {
    this.#at += 1;
    const from = this.#end();
    const body = this.items(true);
    const to = this.#peek()?.from ?? this.text.length;
    if (this.#peek() !== undefined) this.#at += 1;
    return { body, inner: { from, to } };
  }

  #atRule(nested: boolean): CssAtRule {
    const [{ from, to }] = [this.#tokens[this.#at] as Token];
    const name = this.text.slice(from + 1, to).toLowerCase();
    this.#at += 1;
    const begun = to;
    for (let token = this.#peek(); token !== undefined; token = this.#peek()) {
      if (token.type === T.Semicolon) {
        this.#at += 1;
        return { kind: 'at', name, prelude: this.#between(begun, token.from), body: undefined, inner: undefined, from, to: this.#end() };
      }
      if (nested && token.type === T.RightCurlyBracket) break;
      if (token.type === T.LeftCurlyBracket) {
        const prelude = this.#between(begun, token.from);
        const { body, inner } = this.#block();
        return { kind: 'at', name, prelude, body: OF_RULES.has(name) ? body : undefined, inner, from, to: this.#end() };
      }
      this.#component();
    }
    return { kind: 'at', name, prelude: this.#between(begun, this.#end()), body: undefined, inner: undefined, from, to: this.#end() };
  }

  #rule(nested: boolean): CssRule | CssFault {
    const from = this.#peek()?.from ?? 0;
    const fault = (message: string): CssFault => ({ kind: 'fault', message, from, to: this.#end() });
    for (let token = this.#peek(); token !== undefined; token = this.#peek()) {
      if (token.type === T.LeftCurlyBracket) {
        const prelude = this.#between(from, token.from);
        const { body } = this.#block();
        return { kind: 'rule', prelude, body, from, to: this.#end() };
      }
      if (nested && token.type === T.RightCurlyBracket) break;
      if (nested && token.type === T.Semicolon) {
        this.#at += 1;
        return fault('a declaration is "property: value"');
      }
      // A brace too many belongs to the selector, and spoils it.
      if (token.type === T.RightCurlyBracket) this.#at += 1;
      else this.#component();
    }
    return fault(nested ? 'a declaration is "property: value"' : 'a selector has no block after it');
  }

  #declaration(): CssDeclaration | undefined {
    const name = this.#peek();
    if (name?.type !== T.Ident) return undefined;
    const written = this.text.slice(name.from, name.to);
    const isCustom = written.startsWith('--');
    this.#at += 1;
    while (this.#peek() !== undefined && this.#isBlank(this.#peek() as Token)) this.#at += 1;
    if (this.#peek()?.type !== T.Colon) return undefined;
    this.#at += 1;
    const first = this.#at;
    for (let token = this.#peek(); token !== undefined; token = this.#peek()) {
      if (token.type === T.Semicolon || token.type === T.RightCurlyBracket) break;
      if (token.type === T.BadString || token.type === T.BadUrl) return undefined;
      // "a:hover{" begins a rule.
      if (token.type === T.LeftCurlyBracket && !isCustom) return undefined;
      this.#component();
    }
    const value = this.#tokens.slice(first, this.#at);
    const to = this.#end();
    if (this.#peek()?.type === T.Semicolon) this.#at += 1;
    const important = this.#importantAt(value);
    const own = value.slice(0, important).filter((token) => !this.#isBlank(token));
    if (own.length === 0 && !isCustom) return undefined;
    return {
      kind: 'declaration',
      property: isCustom ? written : written.toLowerCase(),
      value: closed(this.#between(own[0]?.from ?? to, own.at(-1)?.to ?? to), own.at(-1)?.to === this.text.length),
      important: important !== undefined,
      from: name.from,
      to,
    };
  }

  /** Where "!important" begins among the tokens of a value. */
  #importantAt(value: readonly Token[]): number | undefined {
    const before = (end: number): number => {
      let at = end;
      while (at > 0 && this.#isBlank(value[at - 1] as Token)) at -= 1;
      return at - 1;
    };
    const word = before(value.length);
    const mark = before(word);
    const textOf = (token: Token | undefined): string => (token === undefined ? '' : this.text.slice(token.from, token.to).toLowerCase());
    return mark >= 0 && textOf(value[mark]) === '!' && textOf(value[word]) === 'important' ? mark : undefined;
  }

  #between(from: number, to: number): string {
    return withoutComments(this.text.slice(from, to)).trim();
  }
}

/** A value that the end of its sheet has closed, with what it lacks: it is written elsewhere. */
function closed(value: string, isAtEnd: boolean): string {
  if (!isAtEnd) return value;
  const open: string[] = [];
  let quote = '';
  tokenize(value, (type, from, to) => {
    const text = value.slice(from, to);
    if (type === T.String && (to - from < 2 || text.at(-1) !== text[0])) quote = text[0] ?? '';
    else if (type === T.Url && !text.endsWith(')')) quote = ')';
    else if (type === T.Function || type === T.LeftParenthesis) open.unshift(')');
    else if (type === T.LeftSquareBracket) open.unshift(']');
    else if (type === T.LeftCurlyBracket) open.unshift('}');
    else if (type === T.RightParenthesis || type === T.RightSquareBracket || type === T.RightCurlyBracket) open.shift();
  });
  return value + quote + open.join('');
}

/** A text without comments, each of them a space: they divide what they stand between. */
function withoutComments(text: string): string {
  if (!text.includes('/*')) return text;
  let out = '';
  tokenize(text, (type, from, to) => {
    out += type === T.Comment ? ' ' : text.slice(from, to);
  });
  return out;
}

/** What is written in a style sheet, in order. A sheet with too many mistakes, or that nests too deep, is one fault. */
export function readStructure(text: string): CssItem[] {
  return bounded(text, false);
}

/** What is written in a style attribute, or between the braces of a rule. */
export function readBody(text: string): CssItem[] {
  return bounded(text, true);
}

function bounded(text: string, nested: boolean): CssItem[] {
  const reader = new Reader(text);
  const whole = { kind: 'fault' as const, from: 0, to: text.length };
  if (reader.isTooDeep) return [{ ...whole, message: `it nests deeper than ${MOST_DEEP} levels, so that nothing of it holds` }];
  const items = reader.items(nested);
  if (faultsIn(items).length > MOST_FAULTS)
    return [{ ...whole, message: `it has more than ${MOST_FAULTS} mistakes, so that nothing of it holds` }];
  return items;
}

/** Everything of one kind, at any depth. */
export function* itemsWithin(items: readonly CssItem[]): Generator<CssItem> {
  for (const item of items) {
    yield item;
    if (item.kind === 'rule' || item.kind === 'at') yield* itemsWithin(item.body ?? []);
  }
}

function faultsIn(items: readonly CssItem[]): CssFault[] {
  return [...itemsWithin(items)].filter((item) => item.kind === 'fault');
}
