// Messages that were made up, with attempts, facts and events, through the store's own functions.
const DOMAINS = ['post.example', 'fjordpost.example', 'harbourmail.example', 'mail.test', 'letterbox.example'];
const TEMPLATES = ['booking-confirmed', 'sign-in-code', 'boarding-reminder', 'refund-receipt'];

/** Writes messages with one delivery each, spread over a time; nine of ten arrive, the others fail. */
export async function historyRows(store, { messages, from, to, space, step = 500 }) {
  const { newId } = await import('../../packages/service/dist/kernel/index.js');
  for (let at = 0; at < messages; at += step) {
    await store.write((tx) => {
      for (let i = at; i < Math.min(messages, at + step); i += 1) {
        const now = Math.floor(from + ((to - from) * i) / messages);
        const id = newId('m', now);
        const delivery = newId('d', now);
        const attempt = newId('a', now);
        const domain = DOMAINS[i % DOMAINS.length];
        const address = `guest${i % 250_000}@${domain}`;
        store.messages.insert(tx, {
          message: {
            id,
            space,
            edition: 1,
            template: TEMPLATES[i % TEMPLATES.length],
            locale: 'en',
            topic: 'bookings',
            subject: `Booking SM-${i}`,
            sender: { name: '', address: 'harbour@saltmarsh-ferries.example' },
            to: [{ name: '', address }],
            more: {},
            bodyUntil: null,
            dataUntil: null,
            factsUntil: null,
            reference: `SM-${i}`,
            labels: {},
            data: {},
            headerId: id,
            createdAt: now,
          },
          deliveries: [
            {
              id: delivery,
              messageId: id,
              space,
              address,
              state: 'queued',
              cause: null,
              attempts: 0,
              createdAt: now,
              nextAttemptAt: now,
              notBefore: null,
              owner: null,
              fairnessKey: `0/${space}//`,
              domain,
              senderDomain: 'saltmarsh-ferries.example',
              expiresAt: null,
              decidedBy: null,
              avoid: null,
              unfit: null,
              unsettled: null,
              unsettledAt: null,
              heldBy: null,
              heldFrom: null,
              intended: null,
              kept: false,
              sensitive: false,
            },
          ],
          idempotency: undefined,
        });
        const fact = (kind, more = {}) => ({
          id: `${attempt}:${kind}`,
          deliveryId: delivery,
          kind,
          source: 'attempt',
          at: now,
          cause: undefined,
          status: undefined,
          replyCode: undefined,
          diagnostic: undefined,
          ...more,
        });
        store.deliveries.endAttempt(
          tx,
          {
            id: attempt,
            deliveryId: delivery,
            owner: 'rows',
            number: 1,
            provider: i % 3 === 0 ? 'south-relay' : 'north-relay',
            startedAt: now,
            hasBegun: false,
          },
          {
            end: { endedAt: now, outcome: 'accepted', phase: 'content', replyCode: 250, status: null, diagnostic: null, providerId: null },
            fact: fact('accepted'),
            next: { at: undefined },
            recordedAt: now,
          },
        );
        if (i % 10 === 9) store.deliveries.record(tx, fact('failed', { cause: 'mailbox-full', status: '5.2.2', source: 'return' }), now);
        else store.deliveries.record(tx, fact('delivered', { source: 'return' }), now);
      }
    });
  }
}
