import type { Request } from 'express';
import { EVERY_SCOPE, Refusal, type Access } from '../../kernel/index.js';

/**
 * Requests that change something and come with a cookie must come from the console's own page: the browser says so
 * (Sec-Fetch-Site, Origin), and a header that no foreign form can set says it again.
 * @param publicUrl where the page is when a proxy has put another host into the request
 * @throws Refusal
 */
export function refuseForeign(request: Request, publicUrl?: string): void {
  if (request.method === 'GET' || request.method === 'HEAD') return;
  const site = request.headers['sec-fetch-site'];
  const { origin } = request.headers;
  const foreign =
    (site !== undefined && site !== 'same-origin' && site !== 'none') ||
    (origin !== undefined && origin !== publicUrl && origin.replace(/^https?:\/\//, '') !== request.host);
  if (foreign || request.headers['verbalis-console'] !== '1') {
    throw new Refusal(403, 'foreign-request', 'This request does not come from the console', {
      hint: 'Use a key (Authorization: Bearer …) outside of the console.',
    });
  }
}

/**
 * Admits everybody who uses this machine's own name: for a local preview, which has no keys. A foreign page whose name points here is
 * refused, and so is one that sends a form.
 */
export function openToThisMachine(space: string): Access {
  return (request) => {
    const host = (request.headers.host ?? '').replace(/:\d+$/, '');
    if (!['127.0.0.1', 'localhost', '[::1]'].includes(host))
      throw new Refusal(403, 'foreign-host', 'This preview is for this machine only', { hint: 'Open it by http://127.0.0.1.' });
    refuseForeign(request);
    return { space, scopes: EVERY_SCOPE, operator: true, actor: { kind: 'preview', name: 'preview' }, readsContent: true };
  };
}
