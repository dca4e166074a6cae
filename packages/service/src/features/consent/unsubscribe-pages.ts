import { escapeHtml } from '@verbalis/core/render';
import { deliveryOfToken } from '@verbalis/core/returns';
import { Router } from 'express';
import type { Clock } from '../../kernel/index.js';
import type { Store } from './store.js';
import type { Suppressing } from '../suppressions/index.js';

export interface UnsubscribeOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly suppressing: Suppressing;
  readonly unsubscribeSecret: Uint8Array;
}

const STYLE =
  ':root{color-scheme:light dark}body{font:1.1rem/1.5 system-ui,sans-serif;max-width:34rem;margin:15vh auto;padding:0 1rem}button{font:inherit;padding:.6rem 1.2rem;min-height:44px}';

function page(title: string, body: string): string {
  return `<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width,initial-scale=1"><title>${title}</title><style>${STYLE}</style><main><h1>${title}</h1>${body}</main></html>`;
}

/**
 * The link that ends a topic for one recipient. A mail reader posts to it (RFC 8058); a person who opens it is asked first, since machines
 * follow links too.
 */
export function unsubscribePages({ store, clock, suppressing, unsubscribeSecret }: UnsubscribeOptions): Router {
  const router = Router();
  router.use((_request, response, next) => {
    response.set({
      'Content-Security-Policy':
        "default-src 'none'; style-src 'unsafe-inline'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'",
      'Referrer-Policy': 'no-referrer',
      'Cache-Control': 'no-store',
      'X-Robots-Tag': 'noindex',
    });
    next();
  });

  const found = (token: string) => {
    const id = deliveryOfToken(unsubscribeSecret, token);
    const delivery = id === undefined ? undefined : store.deliveries.find(id);
    const message = delivery === undefined ? undefined : store.messages.findAny(delivery.messageId);
    return delivery === undefined || message === undefined ? undefined : { delivery, topic: message.topic ?? '' };
  };
  const unknown = page('This link is not known', '<p>It may be incomplete. Open it again from the email.</p>');

  router.get('/:token', (request, response) => {
    const one = found(request.params.token);
    if (one === undefined) {
      response.status(404).type('html').send(unknown);
      return;
    }
    const { delivery, topic } = one;
    const what = topic === '' ? 'mail like this' : `mail about “${escapeHtml(topic)}”`;
    response
      .type('html')
      .send(
        page(
          'Unsubscribe?',
          `<p>${escapeHtml(delivery.address)} will get no more ${what}.</p><form method="post"><button>Unsubscribe</button></form>`,
        ),
      );
  });

  router.post('/:token', async (request, response) => {
    const one = found(request.params.token);
    if (one === undefined) {
      response.status(404).type('html').send(unknown);
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
    response.type('html').send(page('Unsubscribed', `<p>${escapeHtml(delivery.address)} gets no more of these emails.</p>`));
  });
  return router;
}
