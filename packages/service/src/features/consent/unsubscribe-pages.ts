import { escapeHtml } from '@verbalis/core/render';
import { deliveryOfToken } from '@verbalis/core/returns';
import type { Response, Router } from 'express';
import { publicRouter, sendPage, type Clock } from '../../kernel/index.js';
import type { Store } from './store.js';
import type { Suppressing } from '../suppressions/index.js';

export interface UnsubscribeOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly suppressing: Suppressing;
  readonly unsubscribeSecret: Uint8Array;
}

/**
 * The link that ends a topic for one recipient. A mail reader posts to it (RFC 8058); a person who opens it is asked first, since machines
 * follow links too.
 */
export function unsubscribePages({ store, clock, suppressing, unsubscribeSecret }: UnsubscribeOptions): Router {
  const router = publicRouter();
  const found = (token: string) => {
    const id = deliveryOfToken(unsubscribeSecret, token);
    const delivery = id === undefined ? undefined : store.deliveries.find(id);
    const message = delivery === undefined ? undefined : store.messages.findAny(delivery.messageId);
    return delivery === undefined || message === undefined ? undefined : { delivery, topic: message.topic ?? '' };
  };
  const refuse = (response: Response): void => {
    sendPage(response.status(404), 'This link is not known', '<p>It may be incomplete. Open it again from the email.</p>');
  };

  router.get('/:token', (request, response) => {
    const one = found(request.params.token);
    if (one === undefined) {
      refuse(response);
      return;
    }
    const { delivery, topic } = one;
    const what = topic === '' ? 'mail like this' : `mail about “${escapeHtml(topic)}”`;
    sendPage(
      response,
      'Unsubscribe?',
      `<p>${escapeHtml(delivery.address)} will get no more ${what}.</p><form method="post"><button>Unsubscribe</button></form>`,
    );
  });

  router.post('/:token', async (request, response) => {
    const one = found(request.params.token);
    if (one === undefined) {
      refuse(response);
      return;
    }
    const { delivery, topic } = one;
    await store.write((tx) => {
      suppressing.add(
        tx,
        { space: delivery.space, address: delivery.address, topic, reason: 'unsubscribed', deliveryId: delivery.id },
        clock.now(),
      );
    });
    sendPage(response, 'Unsubscribed', `<p>${escapeHtml(delivery.address)} gets no more of these emails.</p>`);
  });
  return router;
}
