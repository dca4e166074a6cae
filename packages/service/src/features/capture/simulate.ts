import { causeRow, type Cause } from '@verbalis/core/delivery';
import { returnToken, writeComplaint, writeReport } from '@verbalis/core/returns';
import { type Clock, newId, Refusal } from '../../kernel/index.js';
import { ownFact } from '../messages/index.js';
import type { ReturnIntake } from '../returns/index.js';
import type { CapturedRow } from './queries.js';
import type { Store } from './store.js';

/** What may become of a captured mail, so that an app's handling of it can be tried. */
export type SimulatedOutcome = 'delivered' | 'delayed' | 'bounced' | 'complained' | 'image-loaded' | 'link-followed';

export interface SimulatorOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly intake: ReturnIntake;
  readonly bytesOf: (row: CapturedRow) => Buffer;
  readonly returnHostFor: (senderDomain: string) => string;
  readonly returnSecret: Uint8Array;
}

export type Simulate = ReturnType<typeof simulator>;

const REPORTER = 'mailbox.simulated.example';

/**
 * Lets something become of a captured mail: reports and complaints are written as a mail server writes them and taken in as if they had come
 * by mail, so that all that follows from a real one follows.
 */
export function simulator({ store, clock, intake, bytesOf, returnHostFor, returnSecret }: SimulatorOptions) {
  /** @throws Refusal where the mail belongs to no delivery */
  return async (
    row: CapturedRow,
    outcome: SimulatedOutcome,
    more: { readonly cause?: Cause | undefined; readonly link?: string | undefined },
  ): Promise<void> => {
    const delivery = row.deliveryId === null ? undefined : store.deliveries.find(row.deliveryId);
    if (delivery === undefined)
      throw new Refusal(409, 'no-delivery', 'No outcome can be simulated for this email', {
        detail: 'This email is a test: it belongs to no delivery of a message.',
        hint: 'Send it as a message to this space to try what follows.',
      });
    const now = clock.now();
    if (outcome === 'image-loaded' || outcome === 'link-followed') {
      await store.write((tx) => {
        store.deliveries.record(
          tx,
          ownFact({
            id: `${outcome}:${newId('e', now)}`,
            deliveryId: delivery.id,
            kind: outcome,
            at: now,
            details: {
              by: 'person',
              reason: 'A person simulated it.',
              ...(outcome === 'link-followed' ? { link: { url: more.link, label: '', index: 0, block: '' } } : {}),
            },
          }),
          now,
        );
      });
      return;
    }
    const returnPath = `returns+${returnToken(returnSecret, delivery.id)}@${returnHostFor(delivery.senderDomain)}`;
    const base = {
      reportingMta: REPORTER,
      recipient: delivery.address,
      returnPath,
      arrivedAt: row.receivedAt,
      now,
      original: bytesOf(row),
      id: newId('e', now),
    };
    const cause = more.cause ?? (outcome === 'delayed' ? 'mailbox-full' : 'mailbox-unknown');
    const said = causeRow(cause).example.replace(/<[^<>@\s]+@[^<>\s]+>/g, `<${delivery.address}>`);
    const status = /\b[245]\.\d{1,3}\.\d{1,3}\b/.exec(said)?.[0];
    // What is given up permanently is a failure whatever the number began with (RFC 3464 2.3.3).
    const report = { ...base, diagnostic: said, ...(status === undefined ? {} : { status }) };
    const bytes =
      outcome === 'complained'
        ? writeComplaint(base)
        : outcome === 'delivered'
          ? writeReport({ ...base, action: 'delivered' })
          : writeReport({ ...report, action: outcome === 'bounced' ? 'failed' : 'delayed' });
    await intake.receive({ bytes, source: 'mail', envelopeFrom: '', envelopeTo: returnPath, space: undefined });
  };
}
