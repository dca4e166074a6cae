import { randomBytes } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import express, { Router } from 'express';

/** The policy of the console's pages: nothing from elsewhere, no inline script, styles by nonce. */
function policy(nonce: string): string {
  return [
    "default-src 'none'",
    "script-src 'self'",
    `style-src 'self' 'nonce-${nonce}'`,
    "img-src 'self' data:",
    "connect-src 'self'",
    "font-src 'self'",
    "frame-src 'self'",
    "base-uri 'none'",
    "form-action 'self'",
    "frame-ancestors 'none'",
  ].join('; ');
}

const NOT_BUILT = '<!doctype html><title>Verbalis</title><p>The console is not built. Run <code>npm run build</code>.</p>';

/** Serves the built console; every address that is no file is the console's own. */
export function consoleRouter(folder: string): Router {
  const router = Router();
  const index = join(folder, 'index.html');
  router.use('/assets', express.static(join(folder, 'assets'), { index: false, immutable: true, maxAge: '1y' }));
  router.get('/{*path}', (_request, response) => {
    const nonce = randomBytes(16).toString('base64');
    const page = existsSync(index) ? readFileSync(index, 'utf8') : NOT_BUILT;
    response
      .status(existsSync(index) ? 200 : 503)
      .set({
        'Content-Security-Policy': policy(nonce),
        'Cache-Control': 'no-store',
        'Referrer-Policy': 'no-referrer',
        'X-Content-Type-Options': 'nosniff',
      })
      .type('html')
      .send(page.replaceAll('__NONCE__', nonce));
  });
  return router;
}
