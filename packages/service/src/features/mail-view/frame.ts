import { fieldOf, partBytes, partsOf, type Part } from '@verbalis/core/mime';
import type { Response } from 'express';

export type Pictures = 'none' | 'own' | 'all';

const SOURCES: Readonly<Record<Pictures, string>> = { none: "'none'", own: 'data:', all: 'data: https: http:' };

/**
 * Sends an email's HTML as a page for a frame: no script, no form, nothing leads out of it, and nothing is fetched but what was asked for.
 * @param readable whether the page around it may look in (to keep its scroll position when it is rendered again): for own mail only
 */
export function sendFrame(
  response: Response,
  html: string,
  pictures: Pictures,
  { readable = false }: { readonly readable?: boolean } = {},
): void {
  response
    .set(
      'Content-Security-Policy',
      `sandbox${readable ? ' allow-same-origin' : ''}; default-src 'none'; style-src 'unsafe-inline'; img-src ${SOURCES[pictures]}; form-action 'none'; base-uri 'none'; frame-ancestors 'self'`,
    )
    .set({ 'Referrer-Policy': 'no-referrer', 'X-Content-Type-Options': 'nosniff', 'Cache-Control': 'no-store' })
    .type('html')
    .send(html);
}

/** Pictures that travel in the mail, put into its HTML: a page has no other parts to look into. */
export function withCarried(html: string, mail: Part): string {
  let out = html;
  for (const part of partsOf(mail)) {
    const id = /^<(.+)>$/.exec(fieldOf(part, 'content-id')?.trim() ?? '')?.[1];
    if (id === undefined || !/^image\/[a-z+.-]+$/.test(part.type) || !out.includes(`cid:${id}`)) continue;
    out = out.replaceAll(`cid:${id}`, `data:${part.type};base64,${Buffer.from(partBytes(part)).toString('base64')}`);
  }
  return out;
}
