import { createHash } from 'node:crypto';
import { deliveryOfToken, readReturn, tokenOf, type RecipientReport } from '@verbalis/core/returns';
import type { Logger } from 'pino';
import type { Clock } from '../clock.js';
import { listenSmtp, type SmtpListener } from '../smtp-socket/index.js';
import { newId, type Store } from '../store/index.js';

export interface IntakeOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly log: Logger;
  readonly domain: string;
  readonly secret: Uint8Array;
  readonly maxBytes: number;
}

/** What a report says as a kind of fact; an expansion (RFC 3464 2.3.3) says nothing of a single mailbox. */
const FACT_OF = { failed: 'failed', delayed: 'delayed', delivered: 'delivered', relayed: 'relayed', expanded: 'relayed' } as const;

/** Keeps a return and turns what it says into facts about its delivery. Whoever got `true` need not send it again. */
export function returnIntake(options: IntakeOptions) {
  const { store, clock, log, domain, secret } = options;

  /** The delivery that mail to this address is about; undefined for an address that is none of ours. */
  function deliveryAt(address: string): string | undefined {
    const at = address.lastIndexOf('@');
    if (address.slice(at + 1).toLowerCase() !== domain.toLowerCase()) return undefined;
    if (!address.toLowerCase().startsWith('returns+')) return undefined;
    const id = deliveryOfToken(secret, tokenOf(address) ?? '');
    return id !== undefined && store.deliveries.find(id) !== undefined ? id : undefined;
  }

  async function take(envelopeFrom: string, envelopeTo: string, bytes: Uint8Array): Promise<void> {
    const now = clock.now();
    const deliveryId = deliveryAt(envelopeTo);
    const hash = createHash('sha256').update(`${envelopeTo.toLowerCase()}\0`).update(bytes).digest('hex');
    const reading = readReturn(bytes);
    const id = newId('r', now);
    await store.group.write(() => {
      const fresh = store.returns.insert({
        id,
        hash,
        receivedAt: now,
        envelopeFrom,
        envelopeTo,
        kind: reading.kind,
        deliveryId: deliveryId ?? null,
        bytes: Buffer.from(bytes),
      });
      if (!fresh || deliveryId === undefined) return;
      const address = store.deliveries.find(deliveryId)?.address;
      const report = aboutUs(reading.recipients, address);
      if (report === undefined) return;
      const { cause, status, replyCode, diagnostic } = report;
      const kind = FACT_OF[report.action];
      const why = kind === 'failed' || kind === 'delayed' ? cause : undefined;
      store.deliveries.record(
        {
          id: `return:${hash.slice(0, 40)}`,
          deliveryId,
          kind,
          source: 'return',
          at: now,
          cause: why,
          status,
          replyCode,
          diagnostic,
          returnId: id,
        },
        now,
      );
      log.info({ delivery: deliveryId, action: report.action, cause: why }, 'return read');
    });
  }

  return {
    deliveryAt,
    take,
    /** Listens for mail to return paths; nothing else is taken. */
    listen: (host: string, port: number): Promise<SmtpListener> =>
      listenSmtp(
        host,
        port,
        { name: domain, maxBytes: options.maxBytes, maxRecipients: 100 },
        {
          recipient: ({ to }) =>
            deliveryAt(to) === undefined
              ? { code: 550, enhanced: '5.1.1', text: 'No such return path' }
              : { code: 250, enhanced: '2.1.5', text: 'OK' },
          mail: async ({ from, to, bytes }) => {
            for (const one of to) await take(from, one, bytes);
            return { code: 250, enhanced: '2.0.0', text: 'Kept' };
          },
        },
      ),
  };
}

/** The return path names one delivery: of several recipients in a report, the one with its address; else the only one. */
function aboutUs(reports: readonly RecipientReport[], address: string | undefined): RecipientReport | undefined {
  return reports.find((one) => one.address.toLowerCase() === address?.toLowerCase()) ?? reports[0];
}
