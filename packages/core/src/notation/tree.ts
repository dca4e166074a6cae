import type { Place } from '../problems/index.js';
import type { Expression } from './expression.js';

/** Fixed text and inserted values in a row: an argument, an address, a subject. */
export type Part = string | Expression;
export type Parts = readonly Part[];

/** `if` with its `else-if` and `else` branches, over whatever the surroundings are made of. */
export interface Branches<T> {
  readonly kind: 'if';
  readonly branches: readonly { readonly test: Expression | undefined; readonly body: readonly T[]; readonly place: Place }[];
  readonly place: Place;
}

/**
 * `each NAME[, SECOND] in LIST`: entries of a list, with where in the list they are; or `each KEY[, VALUE] in RECORD`: its fields.
 */
export interface Loop<T> {
  readonly kind: 'each';
  readonly name: string;
  readonly second: string | undefined;
  readonly list: Expression;
  readonly body: readonly T[];
  /** After each turn but the last (`{{ between }}`). */
  readonly between: readonly T[];
  /** If there are no entries (`:::empty`). */
  readonly otherwise: readonly T[];
  readonly place: Place;
}

/** `::let NAME = VALUE`: a name for a value, in what follows within the same block. */
export interface Local<T> {
  readonly kind: 'let';
  readonly name: string;
  readonly value: Expression;
  readonly body: readonly T[];
  readonly place: Place;
}

/** What steers: it has no output of its own. */
export type Steering<T> = Branches<T> | Loop<T> | Local<T>;

export type Inline =
  | { readonly kind: 'text'; readonly text: string; readonly place: Place }
  | { readonly kind: 'insert'; readonly value: Expression; readonly place: Place }
  | { readonly kind: 'emphasis' | 'strong' | 'struck'; readonly children: readonly Inline[]; readonly place: Place }
  | {
      readonly kind: 'link';
      readonly to: Parts;
      readonly title: Parts;
      readonly children: readonly Inline[];
      /** Whether the author wants it tracked with its topic; undefined where nothing is said. */
      readonly track?: 'yes' | 'no' | undefined;
      readonly place: Place;
    }
  | { readonly kind: 'picture'; readonly source: Parts; readonly alt: Parts; readonly title: Parts; readonly place: Place }
  | { readonly kind: 'code'; readonly parts: Parts; readonly place: Place }
  | { readonly kind: 'break'; readonly place: Place }
  | Branches<Inline>
  | Loop<Inline>
  | Local<Inline>;

export interface ListItem {
  readonly kind: 'item';
  readonly children: readonly Flow[];
  /** The column at which its content begins, in the lines of its region: what is indented as far belongs to it. */
  readonly column: number;
  readonly place: Place;
}
export type ListPart = ListItem | Branches<ListPart> | Loop<ListPart> | Local<ListPart>;

export interface Fact {
  readonly kind: 'fact';
  readonly label: readonly Inline[];
  readonly value: readonly Inline[];
  readonly place: Place;
}
/** A block among facts or rows is one of the folder's own that gives such entries. */
export type FactPart = Fact | BlockUse | Branches<FactPart> | Loop<FactPart> | Local<FactPart>;

export interface Row {
  readonly kind: 'row';
  /** An entry, the sum of those before it, or the headings of the columns. */
  readonly role: 'item' | 'total' | 'head';
  readonly cells: readonly (readonly Inline[])[];
  readonly place: Place;
}
export type RowPart = Row | BlockUse | Branches<RowPart> | Loop<RowPart> | Local<RowPart>;

export interface Argument {
  /** undefined for the first, unnamed value. */
  readonly name: string | undefined;
  readonly parts: Parts;
  /** Written without quotes. */
  readonly bare: boolean;
  readonly place: Place;
}

/** What a block can contain; each has one of these. `optional`: prose and blocks, or nothing. `gives-rows`: nothing, and it stands among rows. */
export type ContentMode = 'none' | 'gives-rows' | 'gives-facts' | 'flow' | 'optional' | 'facts' | 'rows' | 'raw' | 'verbatim';

export interface BlockUse {
  readonly kind: 'block';
  readonly name: string;
  readonly args: readonly Argument[];
  readonly content:
    | { readonly mode: 'none' }
    | { readonly mode: 'flow'; readonly children: readonly Flow[] }
    | { readonly mode: 'facts'; readonly children: readonly FactPart[] }
    | { readonly mode: 'rows'; readonly children: readonly RowPart[] }
    | { readonly mode: 'raw'; readonly pieces: readonly Verbatim[] };
  readonly place: Place;
  readonly namePlace: Place;
}

export type Flow =
  | { readonly kind: 'heading'; readonly depth: number; readonly children: readonly Inline[]; readonly place: Place }
  | { readonly kind: 'paragraph'; readonly children: readonly Inline[]; readonly place: Place }
  | {
      readonly kind: 'list';
      readonly ordered: boolean;
      readonly start: number;
      readonly tight: boolean;
      readonly items: readonly ListPart[];
      readonly place: Place;
    }
  | { readonly kind: 'quote'; readonly children: readonly Flow[]; readonly place: Place }
  | { readonly kind: 'code'; readonly parts: Parts; readonly place: Place }
  | { readonly kind: 'rule'; readonly place: Place }
  | {
      readonly kind: 'table';
      readonly align: readonly ('left' | 'right' | 'center' | null)[];
      readonly head: readonly (readonly Inline[])[];
      readonly rows: readonly (readonly (readonly Inline[])[])[];
      readonly place: Place;
    }
  | BlockUse
  | Branches<Flow>
  | Loop<Flow>
  | Local<Flow>;

/** A piece of a source that is taken as it stands (message.html, message.txt): text, values, branches and loops. */
export type Verbatim =
  | { readonly kind: 'text'; readonly text: string; readonly place: Place }
  | { readonly kind: 'insert'; readonly value: Expression; readonly place: Place }
  | Branches<Verbatim>
  | Loop<Verbatim>
  | Local<Verbatim>;

/** One value of the front matter, with its place. */
export interface FrontValue {
  readonly parts: Parts;
  readonly place: Place;
  /** Of its key. */
  readonly keyPlace: Place;
}

/** A source that is taken as it stands, as a tree. */
export interface VerbatimTree {
  readonly file: string;
  readonly front: ReadonlyMap<string, FrontValue>;
  /** Keys that the notation does not know: they are for the layout. */
  readonly others: ReadonlyMap<string, FrontValue>;
  /** Codes that `check` leaves out, with the reason of each. */
  readonly silence: ReadonlyMap<string, string>;
  readonly body: readonly Verbatim[];
}

/** A source as a tree. */
export interface SourceTree {
  readonly file: string;
  readonly front: ReadonlyMap<string, FrontValue>;
  /** Keys that the notation does not know: they are for the layout. */
  readonly others: ReadonlyMap<string, FrontValue>;
  /** Codes that `check` leaves out, with the reason of each. */
  readonly silence: ReadonlyMap<string, string>;
  /** Inputs of a block of one's own or of a layout, from its front matter: JSON Schema of each. */
  readonly inputs: unknown;
  readonly body: readonly Flow[];
}
