import type { Place } from './problem.js';

/** A source text that can say in which line and column an offset stands. */
export class SourceText {
  readonly file: string;
  readonly text: string;
  readonly #starts: number[] = [0];

  constructor(file: string, text: string) {
    this.file = file;
    this.text = text;
    for (let at = text.indexOf('\n'); at !== -1; at = text.indexOf('\n', at + 1)) this.#starts.push(at + 1);
  }

  /** The place of `length` units from `offset` on; offsets outside the text are moved to its edge. */
  place(offset: number, length = 1): Place {
    const at = Math.min(Math.max(0, offset), this.text.length);
    let low = 0;
    let high = this.#starts.length - 1;
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if ((this.#starts[middle] ?? 0) <= at) low = middle;
      else high = middle - 1;
    }
    return { file: this.file, line: low + 1, column: at - (this.#starts[low] ?? 0) + 1, offset: at, length };
  }

  get whole(): Place {
    return this.place(0, 0);
  }
}
