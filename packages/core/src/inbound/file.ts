/** A file of an email. */
export interface InboundFile {
  /** Its number among the parts: stable for the same bytes. */
  readonly part: number;
  readonly name: string;
  readonly type: string;
  /** Bytes, decoded. */
  readonly size: number;
  /** SHA-256, in hex. */
  readonly hash: string;
  /** Whether the HTML shows it. */
  readonly inline: boolean;
}
