import type { BlockWords } from './words.js';
import type { Argument, BlockUse, Fact, FactPart, Flow, Inline, Parts, Row, RowPart, Verbatim } from '../notation/index.js';
import type { Color, Theme } from '../html/index.js';
import type { Op, Steer, TextOp, Value } from '../render/index.js';
import type { BlockSignature } from '../typing/index.js';

/** The colours that prose has where it is; a block with a background of its own changes them for what is inside. */
export interface Background {
  readonly text: Color;
  readonly soft: Color;
  readonly link: Color;
  readonly size: number;
  /** Room from side to side on a wide screen, in CSS pixels. */
  readonly width: number;
}

/** What both sides of a block can ask of the compiler. */
export interface Side {
  /** An argument by name (undefined: the first, unnamed one). */
  readonly argument: (use: BlockUse, name: string | undefined) => Argument | undefined;
  /** An argument that is written out, or what it is when left out. */
  readonly word: (use: BlockUse, name: string | undefined, usual: string) => string;
  /** The value of an argument, with its type kept. */
  readonly value: (use: BlockUse, name: string) => Value;
  /** Text with values, escaped for this side. */
  readonly parts: (parts: Parts) => Op[];
  /** The same as plain text on one line, to be measured. */
  readonly plain: (parts: Parts) => Op[];
  /** A word that blocks say themselves, in the language of the mail. */
  readonly say: (word: keyof BlockWords) => Op;
  /** An address, made absolute when the mail is rendered. */
  readonly address: (argument: Argument, what?: AddressKind) => Op;
  /** Text as it stands, with values and branches in it; `fixed` treats what is written out. */
  readonly pieces: (nodes: readonly Verbatim[], fixed: (text: string) => string) => Op[];
  /** Rows that a block of the folder's own gives. */
  readonly rowsOf: (use: BlockUse) => readonly RowPart[];
  /** Whether every value that this cell can hold is a number or an amount. */
  readonly numeric: (cell: readonly Inline[]) => boolean;
}

/** What an address is for: a link, a picture that is fetched, or one that travels in the mail. */
export type AddressKind = 'link' | 'picture' | 'carried';

export interface HtmlSide extends Side {
  readonly theme: Theme;
  readonly direction: 'ltr' | 'rtl';
  readonly background: Background;
  readonly flow: (nodes: readonly Flow[], background?: Partial<Background>) => Op[];
  readonly inline: (nodes: readonly Inline[], background?: Partial<Background>) => Op[];
  readonly facts: (nodes: readonly FactPart[], one: (fact: Fact, side: HtmlSide) => Op[]) => Op[];
  readonly rows: (nodes: readonly RowPart[], one: (row: Row, side: HtmlSide) => Op[]) => Op[];
  /** Markup of the author's own. */
  readonly raw: (nodes: readonly Verbatim[]) => Op[];
  /** False where both parts are made to be compared: what is in one of them only is left out. */
  readonly single: boolean;
}

export interface TextSide extends Side {
  readonly flow: (nodes: readonly Flow[]) => TextOp[];
  readonly inline: (nodes: readonly Inline[]) => Op[];
  readonly facts: <T>(nodes: readonly FactPart[], one: (fact: Fact, side: TextSide) => T) => (T | Steer<T>)[];
  readonly rows: <T>(nodes: readonly RowPart[], one: (row: Row, side: TextSide) => T) => (T | Steer<T>)[];
  /** What markup of the author's own says. */
  readonly raw: (nodes: readonly Verbatim[]) => TextOp[];
  readonly single: boolean;
}

/** A built-in block: one file each. Its two sides are made from the same use, so they cannot drift apart. */
export interface Block {
  readonly signature: BlockSignature;
  /** What it is for, in a sentence. */
  readonly summary: string;
  /** A source that shows it, for the reference. */
  readonly example: string;
  readonly html: (use: BlockUse, side: HtmlSide) => Op[];
  readonly text: (use: BlockUse, side: TextSide) => TextOp[];
}

export function flowOf(use: BlockUse): readonly Flow[] {
  return use.content.mode === 'flow' ? use.content.children : [];
}
