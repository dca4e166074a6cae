import { problem, type Place, type Problem, type SourceText } from '../problems/index.js';
import type { BinaryOperator, Expression, Insertion } from './expression.js';
import { tokenize, type Token } from './tokens.js';

/** Deepest nesting of one expression (4-template-notation, Bounds). */
export const MAX_EXPRESSION_DEPTH = 64;

/** From loosest to tightest; each level is left-associative except `??`, which makes no difference. */
const LEVELS: readonly (readonly BinaryOperator[])[] = [
  ['??'],
  ['or'],
  ['and'],
  ['==', '!='],
  ['<', '<=', '>', '>='],
  ['+', '-'],
  ['*', '/', '%'],
];

const TESTS = new Set(['=', '==', '!=', '<', '<=', '>', '>=']);
const EACH_FORM = 'A loop is written {{ each NAME in LIST }} … {{ end }}.';

class ParseFault extends Error {
  constructor(readonly problem: Problem) {
    super(problem.message);
  }
}

/** A recursive-descent reader over the tokens of one insertion. */
class Reader {
  #at = 0;
  #depth = 0;

  constructor(
    private readonly source: SourceText,
    private readonly tokens: readonly Token[],
  ) {}

  get token(): Token {
    return this.tokens[this.#at] ?? (this.tokens[this.tokens.length - 1] as Token);
  }

  get following(): Token | undefined {
    return this.tokens[this.#at + 1];
  }

  next(): Token {
    const token = this.token;
    this.#at += 1;
    return token;
  }

  isSign(text: string): boolean {
    return this.token.kind === 'sign' && this.token.text === text;
  }

  isWord(text: string): boolean {
    return this.token.kind === 'name' && this.token.text === text;
  }

  fault(code: string, message: string, hint?: string, token = this.token): ParseFault {
    return new ParseFault(problem(code, this.source.place(token.offset, Math.max(1, token.length)), message, hint));
  }

  take(sign: string, because: string): Token {
    if (!this.isSign(sign)) {
      throw this.fault('expression-expected', `Expected "${sign}" ${because}, found ${said(this.token)}.`);
    }
    return this.next();
  }

  done(): void {
    if (this.token.kind !== 'end') {
      throw this.fault(
        'expression-rest',
        `This is left over after the expression: ${said(this.token)}.`,
        'Formatters come after a bar: {{ value | date "long" }}. Join text with "+".',
      );
    }
  }

  // Places are joined, not offsets: a place is in the file, a token's offset only in the text that is being read.
  span(from: Expression, to: Token): Place {
    return through(from.place, this.source.place(to.offset, to.length));
  }

  join(left: Expression, right: Expression): Place {
    return through(left.place, right.place);
  }

  /** pipe := choice ('|' name primary*)* */
  pipe(): Expression {
    let value = this.isWord('say') && this.following?.kind === 'string' ? this.say() : this.choice();
    while (this.isSign('|')) {
      this.next();
      const name = this.token;
      if (name.kind !== 'name') {
        throw this.fault('formatter-name', `Expected the name of a formatter after "|", found ${said(name)}.`);
      }
      this.next();
      const { args, named, last } = this.formatArguments(name.text);
      value = {
        kind: 'format',
        value,
        name: name.text,
        args,
        named,
        namePlace: this.source.place(name.offset, name.length),
        place: last === undefined ? this.span(value, name) : this.join(value, last),
      };
    }
    return value;
  }

  formatArguments(format: string): {
    readonly args: Expression[];
    readonly named: { readonly name: string; readonly value: Expression }[];
    readonly last: Expression | undefined;
  } {
    const args: Expression[] = [];
    const named: { name: string; value: Expression }[] = [];
    let last: Expression | undefined;
    while (this.startsPrimary() || this.isNegative() || (format === 'where' && args.length === 1 && this.isTest())) {
      if (this.isTest()) {
        // where "field" = value
        const sign = this.next();
        const text = sign.text === '==' ? '=' : sign.text;
        args.push({ kind: 'literal', value: text, place: this.source.place(sign.offset, sign.length) });
        last = this.unary();
        args.push(last);
      } else if (this.token.kind === 'name' && this.following?.kind === 'sign' && this.following.text === '=') {
        const name = this.next().text;
        this.next();
        last = this.postfix();
        named.push({ name, value: last });
      } else {
        last = this.isNegative() ? this.negative() : this.postfix();
        args.push(last);
      }
    }
    return { args, named, last };
  }

  /** A number with its sign: "-1", and not "- 1". */
  isNegative(): boolean {
    return this.isSign('-') && this.following?.kind === 'number' && this.following.offset === this.token.offset + 1;
  }

  negative(): Expression {
    const sign = this.next();
    const digits = this.next();
    const place = this.source.place(sign.offset, digits.offset + digits.length - sign.offset);
    return { kind: 'literal', value: -Number(digits.value), place };
  }

  isTest(): boolean {
    return this.token.kind === 'sign' && TESTS.has(this.token.text);
  }

  say(): Expression {
    const word = this.next();
    const key = this.next();
    const values: { name: string; value: Expression }[] = [];
    let place = through(this.source.place(word.offset, word.length), this.source.place(key.offset, key.length));
    while (this.token.kind === 'name' && this.following?.kind === 'sign' && this.following.text === '=') {
      const name = this.next().text;
      this.next();
      const value = this.postfix();
      values.push({ name, value });
      place = through(place, value.place);
    }
    return { kind: 'say', key: String(key.value), values, place };
  }

  /** `each NAME[, SECOND] in LIST` */
  loop(): { readonly name: string; readonly second: string | undefined; readonly list: Expression } {
    this.next();
    const name = this.next().text;
    let second: string | undefined;
    if (this.isSign(',')) {
      this.next();
      if (this.token.kind !== 'name') throw this.fault('each-form', `Expected a name after ",", found ${said(this.token)}.`, EACH_FORM);
      second = this.next().text;
    }
    if (!this.isWord('in')) throw this.fault('each-form', `Expected "in" in this loop, found ${said(this.token)}.`, EACH_FORM);
    this.next();
    return { name, second, list: this.pipe() };
  }

  startsPrimary(): boolean {
    const { kind, text } = this.token;
    if (kind === 'name') return !['and', 'or', 'not'].includes(text);
    return kind === 'string' || kind === 'number' || (kind === 'sign' && text === '(');
  }

  choice(): Expression {
    this.#depth += 1;
    if (this.#depth > MAX_EXPRESSION_DEPTH) {
      throw this.fault('expression-depth', `This expression nests deeper than ${MAX_EXPRESSION_DEPTH} levels.`);
    }
    let value = this.binary(0);
    if (this.isSign('?')) {
      this.next();
      const yes = this.choice();
      this.take(':', 'between the two answers of "? :"');
      const no = this.choice();
      value = { kind: 'choice', test: value, yes, no, place: this.join(value, no) };
    }
    this.#depth -= 1;
    return value;
  }

  binary(level: number): Expression {
    const operators = LEVELS[level];
    if (operators === undefined) return this.unary();
    let left = this.binary(level + 1);
    let turns = 0;
    for (;;) {
      const operator = operators.find((binaryOperator) =>
        /[a-z]/.test(binaryOperator) ? this.isWord(binaryOperator) : this.isSign(binaryOperator),
      );
      if (operator === undefined) return left;
      turns += 1;
      if (turns > MAX_EXPRESSION_DEPTH) {
        throw this.fault('expression-depth', `This expression joins more than ${MAX_EXPRESSION_DEPTH} values in a row.`);
      }
      this.next();
      const right = this.binary(level + 1);
      left = { kind: 'binary', operator, left, right, place: this.join(left, right) };
    }
  }

  unary(): Expression {
    const token = this.token;
    const operator = this.isWord('not') ? 'not' : this.isSign('-') ? '-' : undefined;
    if (operator === undefined) return this.postfix();
    this.#depth += 1;
    if (this.#depth > MAX_EXPRESSION_DEPTH) {
      throw this.fault('expression-depth', `This expression nests deeper than ${MAX_EXPRESSION_DEPTH} levels.`);
    }
    this.next();
    const operand = this.unary();
    this.#depth -= 1;
    const place = through(this.source.place(token.offset, token.length), operand.place);
    return { kind: 'unary', operator, operand, place };
  }

  postfix(): Expression {
    let value = this.primary();
    let turns = 0;
    for (;;) {
      turns += 1;
      if (turns > MAX_EXPRESSION_DEPTH) {
        throw this.fault('expression-depth', `This path is longer than ${MAX_EXPRESSION_DEPTH} steps.`);
      }
      if (this.isSign('.')) {
        this.next();
        const name = this.token;
        if (name.kind !== 'name') throw this.fault('path-name', `Expected a field's name after ".", found ${said(name)}.`);
        this.next();
        value = { kind: 'member', of: value, name: name.text, place: this.span(value, name) };
      } else if (this.isSign('[')) {
        this.next();
        const at = this.choice();
        const close = this.take(']', 'after an index');
        value = { kind: 'index', of: value, at, place: this.span(value, close) };
      } else {
        return value;
      }
    }
  }

  primary(): Expression {
    const token = this.next();
    const place = this.source.place(token.offset, Math.max(1, token.length));
    if (token.kind === 'string' || token.kind === 'number') {
      return { kind: 'literal', value: token.value ?? '', place };
    }
    if (token.kind === 'name') {
      if (token.text === 'true' || token.text === 'false') return { kind: 'literal', value: token.text === 'true', place };
      if (token.text === 'null') return { kind: 'literal', value: null, place };
      if (this.isSign('(')) {
        throw this.fault(
          'no-calls',
          `"${token.text}(…)" looks like a call; expressions have none.`,
          'Use a formatter: {{ value | name }}.',
          token,
        );
      }
      return { kind: 'name', name: token.text, place };
    }
    if (token.kind === 'sign' && token.text === '(') {
      // What is within counts for itself.
      const inner = this.pipe();
      this.take(')', 'to close the parenthesis');
      return inner;
    }
    throw this.fault('expression-expected', `Expected a value, found ${said(token)}.`, undefined, token);
  }
}

/** From the start of one place to the end of another. */
function through(from: Place, to: Place): Place {
  return { ...from, length: Math.max(from.length, to.offset + to.length - from.offset) };
}

function said(token: Token): string {
  return token.kind === 'end' ? 'the end of the expression' : `"${token.text}"`;
}

/**
 * Reads one expression from `source.text[from, to)`.
 * @returns the tree, or undefined when it is not one; what was wrong is added to `problems`.
 */
export function parseExpression(source: SourceText, from: number, to: number, problems: Problem[]): Expression | undefined {
  return read(source, { from, to, problems }, (reader) => reader.pipe());
}

const WORDS = ['else', 'between', 'empty', 'end'] as const;

/** Reads what is between `{{` and `}}`: an expression, or `if …`, `else`, `else-if …`, `each …`, `between`, `empty`, `end`. */
export function parseInsertion(source: SourceText, from: number, to: number, problems: Problem[]): Insertion | undefined {
  const place = source.place(from - 2, to - from + 4);
  return read<Insertion>(source, { from, to, problems }, (reader) => {
    const { token, following } = reader;
    if (token.kind === 'end') {
      throw reader.fault('expression-empty', 'There is nothing between these braces.', 'Write \\{{ for literal braces.');
    }
    const word = WORDS.find((name) => reader.isWord(name));
    if (word !== undefined && following?.kind === 'end') {
      reader.next();
      return { kind: word, place };
    }
    if (reader.isWord('each') && following?.kind === 'name') return { kind: 'each', ...reader.loop(), place };
    if (reader.isWord('if') && following?.kind !== 'end' && !(following?.kind === 'sign' && '.[|'.includes(following.text))) {
      reader.next();
      return { kind: 'if', test: reader.pipe(), place };
    }
    if (reader.isWord('else') && following?.kind === 'name' && following.text === 'if') {
      reader.next();
      reader.next();
      return { kind: 'else-if', test: reader.pipe(), place };
    }
    if (reader.isWord('else') && following?.text === '-') {
      reader.next();
      reader.next();
      if (reader.isWord('if')) reader.next();
      return { kind: 'else-if', test: reader.pipe(), place };
    }
    return { kind: 'value', value: reader.pipe(), place };
  });
}

function read<T>(
  source: SourceText,
  { from, to, problems }: { readonly from: number; readonly to: number; readonly problems: Problem[] },
  how: (reader: Reader) => T,
): T | undefined {
  const faults: Problem[] = [];
  const reader = new Reader(source, tokenize(source, from, to, faults));
  const habit = faults.length === 0 ? undefined : habitHint(source.text.slice(from, to));
  if (habit !== undefined) {
    const [first] = faults;
    if (first !== undefined) problems.push({ ...first, hint: habit });
    return undefined;
  }
  if (faults.length === 0) {
    try {
      const value = how(reader);
      reader.done();
      return value;
    } catch (error) {
      if (!(error instanceof ParseFault)) throw error;
      faults.push(error.problem);
    }
  }
  problems.push(...faults);
  return undefined;
}

/** What to write instead of what stands between braces in other notations. */
function habitHint(text: string): string | undefined {
  const inner = text.trim();
  if (/^[#/^]/.test(inner))
    return 'Loops are {{ each NAME in LIST }} … {{ end }}, or ":::each NAME in LIST" … ":::"; conditions are {{ if TEST }} … {{ else }} … {{ end }}, or ":::if TEST" … ":::". A comment has a space after "#".';
  if (/^[{&]/.test(inner)) return 'Values are always escaped. Write {{ name }}; put your own markup in ":::raw html".';
  if (/^!/.test(inner)) return 'A comment is written {{# … }}.';
  return /^>/.test(inner) ? 'A part is a block: "::name" takes it from blocks/.' : undefined;
}
