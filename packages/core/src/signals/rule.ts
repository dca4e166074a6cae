import type { DataCheck, Masking } from '../typing/index.js';

/** Something that happened in an app (a CloudEvent, https://cloudevents.io, version 1.0). */
export interface Signal {
  readonly id: string;
  readonly source: string;
  readonly type: string;
  readonly subject?: string | undefined;
  /** When it happened; milliseconds since the epoch. */
  readonly time: number;
  readonly data: unknown;
}

/** An email as a rule wants it, in the shape of a request for a message. */
export interface Mail {
  readonly template: string;
  readonly to: readonly unknown[];
  readonly cc?: readonly unknown[];
  readonly replyTo?: readonly unknown[];
  readonly locale?: string;
  readonly timeZone?: string;
  readonly reference?: string;
  readonly labels?: Readonly<Record<string, string>>;
  readonly data: unknown;
}

/** What follows from signals of one type, ready to be asked. All functions throw a Fault or BudgetExceeded where the data does not allow it. */
export interface Rule {
  readonly name: string;
  readonly file: string;
  readonly on: string;
  readonly template: string;
  /** Whether data is as the schema of this type of signal has it. */
  readonly checkData: DataCheck;
  /** How sensitive fields of the signal's data are hidden; undefined where its schema marks none. */
  readonly masking: Masking | undefined;
  readonly holds: (signal: Signal) => boolean;
  /** The test as it is written, for people. */
  readonly when: string | undefined;
  /** How long it waits after the signal, in milliseconds. */
  readonly afterMs: number;
  /** Signals that cancel it while it waits. */
  readonly unless: { readonly type: string; readonly keyOf: (canceling: Signal) => string | undefined } | undefined;
  /** What the signal is about; undefined without `unless`, or where its data has none. */
  readonly keyOf: (signal: Signal) => string | undefined;
  /** Signals of the same `by` become one email. */
  readonly combine: { readonly withinMs: number; readonly byOf: (signal: Signal) => string } | undefined;
  /** So many emails to one recipient within so long. */
  readonly atMost: { readonly count: number; readonly withinMs: number } | undefined;
  /** The email. @param signals oldest first; several only with `combine` */
  readonly mail: (signals: readonly [Signal, ...Signal[]]) => Mail;
}
