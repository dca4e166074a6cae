import { randomBytes } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import express, { Router } from 'express';
import compressedFiles from 'express-static-gzip';

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

/** The policy of the documentation: files of its own, nothing else. */
const DOCS_POLICY =
  "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self'; connect-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'";

/** Serves the built console and the documentation at /docs; every address that is no file is the console's own. */
export function consoleRouter(folder: string): Router {
  const router = Router();
  const index = join(folder, 'index.html');
  const assets = join(folder, 'assets');
  // Without the folder the console is not built, which its page says.
  if (existsSync(assets))
    router.use(
      '/assets',
      compressedFiles(assets, {
        index: false,
        enableBrotli: true,
        orderPreference: ['br'],
        serveStatic: { immutable: true, maxAge: '1y' },
      }),
    );
  router.use('/docs', (_request, response, next) => {
    response.set({ 'Content-Security-Policy': DOCS_POLICY, 'X-Content-Type-Options': 'nosniff', 'Referrer-Policy': 'no-referrer' });
    next();
  });
  router.use('/docs', express.static(join(folder, 'docs'), { maxAge: '5m' }), (_request, response) => {
    response.status(404).type('text').send('There is no such page of the documentation. It begins at /docs/.\n');
  });
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
