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
}
