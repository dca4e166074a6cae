/** What a value is for a formatter: narrower than JSON's types. */
export type ValueKind =
  | 'text'
  | 'number'
  | 'whole'
  | 'truth'
  | 'date'
  | 'datetime'
  | 'time'
  | 'duration'
  | 'currency'
  | 'phone'
  | 'unit'
  | 'zone'
  /** A date or a date with time, whichever the value is. */
  | 'moment'
  /** What the value is. */
  | 'same'
  | 'list'
  /** The name of a field of a list's entries, written out. */
  | 'field'
  | 'any';

/** What formatters may know besides the value. Time comes in; nothing reads a clock. */
export interface FormatContext {
  /** BCP 47 tag. */
  readonly locale: string;
  /** IANA time zone. */
  readonly timeZone: string;
  /** Milliseconds since the epoch. */
  readonly now: number;
}

export interface FormatArgument {
  readonly name: string;
  readonly kind: ValueKind;
  readonly optional?: boolean;
  readonly choices?: readonly string[];
  /** Letters of a pattern (UTS 35) that it can be in place of a choice: those of dates, of times, or of both. */
  readonly skeleton?: string;
  /** Least and most that a number may be; one from data is moved to the nearer edge. */
  readonly range?: readonly [number, number];
}

/** One formatter: its types for the compiler, its work for the renderer, its words for the reference. */
export interface Format {
  readonly name: string;
  readonly takes: readonly ValueKind[];
  readonly args: readonly FormatArgument[];
  readonly gives: ValueKind;
  /** What the given text is, where the place it is written to depends on that. */
  readonly givesFormat?: string;
  /** What the entries of a list must be. */
  readonly entries?: readonly ValueKind[];
  readonly summary: string;
  readonly example: { readonly value: unknown; readonly args?: readonly unknown[]; readonly gives: string };
  /** Is given a value of a kind that it takes. Throws Fault when the value itself is out of its range. */
  readonly run: (value: never, args: never, context: FormatContext) => unknown;
}
