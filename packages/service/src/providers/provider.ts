import type { Envelope, Outcome } from '@verbalis/core/smtp';

/** Something that takes mail from us. */
export interface Provider {
  readonly name: string;
  /** Never rejects: whatever happens is an outcome. */
  readonly hand: (envelope: Envelope, mail: Uint8Array) => Promise<Outcome>;
  /** Ends idle connections; mails under way are finished by their callers. */
  readonly close: () => void;
}
