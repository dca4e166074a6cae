import type { BinaryOperator } from '../notation/index.js';

/** An expression ready to run: names resolved to where their values stand. Plain data, so that a program can be stored. */
export type Value =
  | { readonly k: 'const'; readonly value: string | number | boolean | null }
  /** `root`: the data, `mail`, or the slot of a loop variable. */
  | { readonly k: 'path'; readonly root: 'data' | 'mail' | number; readonly steps: readonly (string | Value)[] }
  | { readonly k: 'step'; readonly of: Value; readonly step: string | Value }
  | { readonly k: 'not' | 'negate'; readonly of: Value }
  /** `moment`: both are texts of this format and are compared by when they are. */
  | {
      readonly k: 'two';
      readonly operator: BinaryOperator;
      readonly a: Value;
      readonly b: Value;
      readonly moment?: 'date-time' | 'date' | 'time';
    }
  | { readonly k: 'choose'; readonly test: Value; readonly yes: Value; readonly no: Value }
  | { readonly k: 'format'; readonly name: string; readonly of: Value; readonly args: readonly Value[]; readonly at: string }
  | {
      readonly k: 'say';
      readonly key: string;
      readonly values: readonly { readonly name: string; readonly value: Value }[];
      readonly at: string;
    }
  /** An address that is put together, as a text. */
  | { readonly k: 'url'; readonly address: Address };

/**
 * How a value is encoded in an address, by the component that it is in (RFC 3986 3): one segment of a path, a name or value of a query
 * or a fragment, the mailbox of mailto:, the number of tel: and sms:. `whole`: it is the address, or the beginning of one.
 */
export type Encoding = 'segment' | 'component' | 'mailbox' | 'number' | 'whole';

export interface AddressValue {
  readonly value: Value;
  readonly encode: Encoding;
  /** Percent-encoded already (by the formatter `url`). */
  readonly encoded?: true;
}

/** An address with values in it. Only a `whole` value can say where it leads; all others stay within their component. */
export interface Address {
  readonly parts: readonly (string | AddressValue)[];
  /** The place in the source, for faults. */
  readonly at: string;
  readonly carries?: 'picture';
}

/** The first branch whose test holds; one without a test always does. */
export interface IfOp<T> {
  readonly op: 'if';
  readonly branches: readonly { readonly test: Value | undefined; readonly body: readonly T[] }[];
}

/**
 * Once for each entry of a list, which is in `slot` meanwhile, and in `secondSlot` where it is in the list. Of a record: its fields, the name
 * in `slot` and the value in `secondSlot`.
 */
export interface EachOp<T> {
  readonly op: 'each';
  readonly slot: number;
  readonly secondSlot: number | undefined;
  readonly list: Value;
  readonly body: readonly T[];
  /** After each turn but the last. */
  readonly between: readonly T[];
  readonly otherwise: readonly T[];
}

/** Puts a value into `slot`, for the operations that follow. It gives nothing itself. */
export interface LetOp {
  readonly op: 'let';
  readonly slot: number;
  readonly value: Value;
}

/** Branches, loops and local names over operations of any kind. */
export type Steer<T> = IfOp<T> | EachOp<T> | LetOp;

/** The operations within, in new ones. `make` gets each body in the order in which they are written. */
export function resteered<T, R>(op: Steer<T>, make: (body: readonly T[]) => readonly R[]): Steer<R> {
  switch (op.op) {
    case 'if':
      return { ...op, branches: op.branches.map((branch) => ({ ...branch, body: make(branch.body) })) };
    case 'each':
      return { ...op, body: make(op.body), between: make(op.between), otherwise: make(op.otherwise) };
    case 'let':
      return op;
  }
}

/** The bodies of a branch, loop or local name, in the order in which {@link resteered} makes them. */
export function bodiesOf<T>(op: Steer<T>): readonly (readonly T[])[] {
  const out: (readonly T[])[] = [];
  resteered(op, (body) => {
    out.push(body);
    return [];
  });
  return out;
}

/** Whether an operation steers others. */
export function isSteer<T extends object>(op: T): op is T & Steer<never> {
  const { op: kind } = op as { readonly op?: unknown };
  return kind === 'if' || kind === 'each' || kind === 'let';
}

/**
 * Where a value is put, which says how it is escaped: `html` for text and attribute values of HTML, `text` for the text part,
 * `line` for a header field's value (one line). With `-lines`, line breaks of the value are kept.
 */
export type Escape = 'html' | 'text' | 'line' | 'html-lines' | 'text-lines';

export type Op =
  | string
  | { readonly op: 'put'; readonly value: Value; readonly as: Escape }
  /** An address, made absolute and checked, then escaped. */
  | { readonly op: 'address'; readonly address: Address; readonly as: 'html' | 'text' }
  /**
   * A text of strings/ with emphasis and links. `links`: the address of each link by the name of its tag; `attributes`: the other attributes
   * of its `<a>`.
   */
  | {
      readonly op: 'rich';
      readonly value: Value;
      readonly links: Readonly<Record<string, Address>>;
      readonly attributes: string;
      readonly as: 'html' | 'text';
    }
  /** A colour, length or number within CSS; anything else is a fault. */
  | { readonly op: 'css'; readonly value: Value; readonly at: string }
  /** The number of a link in the text part; the same address has the same number. */
  | { readonly op: 'note'; readonly address: Address }
  /** The operations' result in another shape, for the text part (a heading in capitals, letters set apart). */
  | { readonly op: 'shape'; readonly shape: 'upper' | 'spaced'; readonly body: readonly Op[] }
  /** A word that blocks say themselves, in the language of the mail. */
  | { readonly op: 'word'; readonly word: string; readonly as: 'html' | 'text' }
  /** The width of a button for its words, in CSS pixels; `size` is that of its letters. */
  | { readonly op: 'width'; readonly size: number; readonly body: readonly Op[] }
  | IfOp<Op>
  | EachOp<Op>
  | LetOp;

/** One row of a table of the text part. */
export type TextRow =
  | { readonly op: 'row'; readonly cells: readonly (readonly Op[])[]; readonly total: boolean }
  | IfOp<TextRow>
  | EachOp<TextRow>
  | LetOp;

export type TextItem = { readonly op: 'item'; readonly body: readonly TextOp[] } | IfOp<TextItem> | EachOp<TextItem> | LetOp;

/** Operations of the text part. Each gives a block of lines; blocks are set apart by an empty line. */
export type TextOp =
  | { readonly op: 'paragraph'; readonly body: readonly Op[] }
  | { readonly op: 'heading'; readonly depth: number; readonly body: readonly Op[] }
  | { readonly op: 'lines'; readonly body: readonly Op[] }
  | { readonly op: 'rule' }
  /** Blocks under each other without an empty line between them. */
  | { readonly op: 'stack'; readonly body: readonly TextOp[] }
  | { readonly op: 'link'; readonly label: readonly Op[]; readonly to: Op }
  | { readonly op: 'inset'; readonly first: string; readonly rest: string; readonly body: readonly TextOp[] }
  | { readonly op: 'list'; readonly ordered: boolean; readonly start: number; readonly tight: boolean; readonly items: readonly TextItem[] }
  | { readonly op: 'pairs'; readonly rows: readonly TextRow[] }
  /** `head`: a row of headings stands above a rule. */
  | { readonly op: 'table'; readonly right: readonly boolean[]; readonly head?: true; readonly rows: readonly TextRow[] }
  | IfOp<TextOp>
  | EachOp<TextOp>
  | LetOp;

/** One template in one locale, ready to render. Plain data: `JSON.stringify` and back gives the same program. */
export interface Program {
  readonly template: string;
  readonly locale: string;
  readonly direction: 'ltr' | 'rtl';
  readonly timeZone: string;
  readonly baseUrl: string;
  /** Hosts that addresses from data may lead to ("*.example.org" for all below); undefined for any. */
  readonly linkHosts?: readonly string[];
  /** How many loop variables are in reach at most. */
  readonly slots: number;
  /** Texts that `say` takes, by key: ICU messages with the locale they are in. */
  readonly strings: Readonly<Record<string, { readonly text: string; readonly locale: string }>>;
  /** Words that blocks say themselves. */
  readonly words: Readonly<Record<string, string>>;
  readonly subject: readonly Op[];
  readonly preview: readonly Op[];
  readonly html: readonly Op[];
  /** Pictures of the mail folder that travel in the mail, and the id by which the HTML names each. */
  readonly carried: readonly { readonly path: string; readonly id: string; readonly type: string }[];
  readonly text: readonly TextOp[];
}
