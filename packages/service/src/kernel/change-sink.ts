/** The changes of one group of transactions, before it is committed. */
export interface GroupRecord {
  /** When it is committed, by the date of the service. */
  readonly at: number;
  /** A JSON array of row changes. */
  readonly changes: string;
}

/** A place in a log that several services share. */
export interface LogPlace {
  /** The number of the last record; 0 before the first one. */
  readonly seq: number;
  /** What names the group that this record ends; empty before the first one. */
  readonly group: string;
}

/** Before the first record. */
export const BEGINNING: LogPlace = { seq: 0, group: '' };

/** A group that is about to be stored. */
export interface PlannedGroup {
  /** Where the log stands once it is stored. */
  readonly place: LogPlace;
  /**
   * Stores it. Resolves once it is known how it went, however long that takes: true when the group is in the log, false when the log went on with
   * a record of another service. Ends with "unknown" when the signal aborts.
   */
  readonly store: (signal: AbortSignal) => Promise<boolean | 'unknown'>;
}

/** A log that several services share: what a group changes is in it before the group is committed here. */
export interface ChangeSink {
  /** What names this log. */
  readonly log: string;
  readonly plan: (record: GroupRecord, after: LogPlace, layout: number) => PlannedGroup;
  /** The log went on with a record of another service: this one writes nothing more. */
  readonly superseded: () => void;
}
