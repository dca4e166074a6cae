import { compilePattern } from './pattern.js';

/** How often what may come several times comes: as seldom as it can, once more than that, or as often. */
type Often = 'least' | 'usual' | 'most';

const [MOST, LONGEST] = [24, 4000];

/** A text that matches a pattern (ECMA-262, without look-around); undefined where none was found. */
export function matchingText(pattern: string, often: Often): string | undefined {
  try {
    const reader = new Reader(pattern, often);
    const text = reader.choices();
    return reader.isDone && compilePattern(pattern).test(text) ? text : undefined;
  } catch {
    return undefined;
  }
}

const CLASSES: Readonly<Record<string, string>> = { d: '0-9', w: 'a-z0-9_', s: ' ', D: 'a-z', W: ' ', S: 'a-z' };

/** Goes through a pattern once and writes what it wants: the first of alternatives, letters of a class in turn. */
class Reader {
  #at = 0;
  #turn = 0;

  constructor(
    private readonly pattern: string,
    private readonly often: Often,
  ) {}

  get isDone(): boolean {
    return this.#at >= this.pattern.length;
  }

  #peek(): string {
    return this.pattern[this.#at] ?? '';
  }

  #next(): string {
    const sign = this.#peek();
    this.#at += 1;
    return sign;
  }

  /** a|b: all are read, the first is taken. */
  choices(): string {
    const first = this.#sequence();
    while (this.#peek() === '|') {
      this.#next();
      this.#sequence();
    }
    return first;
  }

  #sequence(): string {
    let out = '';
    while (!this.isDone && this.#peek() !== '|' && this.#peek() !== ')') {
      const piece = this.#piece();
      const [least, most] = this.#count();
      const times = { least, usual: Math.min(most, Math.max(least, 1)), most: Math.min(most, Math.max(least, MOST)) }[this.often];
      for (let i = 0; i < times; i += 1) out += piece();
      // What repeats repetitions multiplies.
      if (out.length > LONGEST) throw new RangeError('too long');
    }
    return out;
  }

  #piece(): () => string {
    const sign = this.#next();
    if (sign === '^' || sign === '$') return () => '';
    if (sign === '.') return this.#from('a-z');
    if (sign === '[') return this.#class();
    if (sign === '\\') {
      const escaped = this.#next();
      if (/[bB]/.test(escaped)) return () => '';
      if (/[pPukx]/.test(escaped)) throw new SyntaxError(escaped);
      return CLASSES[escaped] === undefined ? () => ({ n: '\n', t: '\t', r: '\r' })[escaped] ?? escaped : this.#from(CLASSES[escaped]);
    }
    if (sign !== '(') return () => sign;
    if (this.#peek() === '?') {
      this.#next();
      if (this.#next() !== ':') throw new SyntaxError('group');
    }
    const inner = this.choices();
    this.#next();
    return () => inner;
  }

  #class(): () => string {
    const end = this.pattern.indexOf(']', this.#at + 1);
    const letters = this.pattern
      .slice(this.#at, end)
      .replace(/\\([dws])/g, (_, name: string) => CLASSES[name] ?? '')
      .replace(/\\(.)/g, '$1');
    this.#at = end + 1;
    return letters.startsWith('^') ? this.#from('x') : this.#from(letters);
  }

  /** Letters of a class in turn: "a-z" gives a, b, c. */
  #from(letters: string): () => string {
    const all: string[] = [];
    for (let i = 0; i < letters.length; i += 1) {
      const [from, dash, to] = [letters.codePointAt(i) ?? 0, letters[i + 1], letters.codePointAt(i + 2)];
      if (dash === '-' && to !== undefined) {
        for (let code = from; code <= to && all.length < 200; code += 1) all.push(String.fromCodePoint(code));
        i += 2;
      } else all.push(String.fromCodePoint(from));
    }
    return () => all[(this.#turn += 1) % all.length] ?? '';
  }

  /** How often the piece before comes. */
  #count(): readonly [number, number] {
    const found = /^(?:[?*+]|\{(\d+)(?:(,)(\d*))?\})\??/.exec(this.pattern.slice(this.#at));
    if (found === null) return [1, 1];
    this.#at += found[0].length;
    const sign = found[0][0] ?? '';
    if (sign === '{') {
      const least = Number(found[1]);
      return [least, found[2] === undefined ? least : found[3] === '' ? Infinity : Number(found[3])];
    }
    return sign === '?' ? [0, 1] : [sign === '+' ? 1 : 0, Infinity];
  }
}
