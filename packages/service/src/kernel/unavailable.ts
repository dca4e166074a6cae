import type { RequestProblem } from './refusal.js';

/** The database cannot be written at the moment. Nothing was stored, and the same may be tried again. */
export class StoreUnavailable extends Error {
  override name = 'StoreUnavailable';
  constructor(
    /** What is wrong, in a sentence. */
    message: string,
    cause?: unknown,
    readonly retryAfterSeconds = 5,
  ) {
    super(message, { cause });
  }
}

/** Why the service could not start, in words for the person who starts it. */
export class StartError extends Error {
  override name = 'StartError';
  constructor(
    message: string,
    readonly more: {
      /** What to do. */
      readonly hint?: string;
      /** Each wrong setting, by its path in the configuration. */
      readonly faults?: readonly RequestProblem[];
    } = {},
  ) {
    super(message);
  }
}
