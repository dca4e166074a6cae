/** How a cause is recognised, and what it means. */
export interface CauseFields {
  /** Enhanced status codes (RFC 3463, and RFC 6531, 7293, 7372, 7505) without their class, "1.1" for 4.1.1 and 5.1.1. */
  readonly codes: readonly string[];
  /** Words of a diagnostic that say it whatever the codes are; lower case, "*" for up to 60 signs between two of them. */
  readonly words: readonly string[];
  /** Words that say it where no code does. */
  readonly hints: readonly string[];
  /** Whether it suppresses the address: at once, after several over days, or never. */
  readonly suppresses: 'at-once' | 'after-several' | 'never';
  /** For people: completes "… could not be delivered: …". */
  readonly sentence: string;
  readonly advice: string;
  /** What a server says in this case. */
  readonly example: string;
}
