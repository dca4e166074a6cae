import { Router, type Response } from 'express';

const STYLE =
  ':root{color-scheme:light dark}html{background:light-dark(#fff,#14181e);color:light-dark(#15191f,#e8eaee)}a{color:light-dark(#0b4f9e,#9cc0f5)}body{font:1.1rem/1.5 system-ui,sans-serif;max-width:34rem;margin:15vh auto;padding:0 1rem;overflow-wrap:anywhere}h1{font-size:1.6rem;line-height:1.25}h2{font-size:1.2rem;margin:2rem 0 .5rem}label{display:flex;gap:.6rem;align-items:baseline;min-height:24px}label input{width:1.2rem;height:1.2rem;margin:0;flex:none;align-self:center}li{margin:.8rem 0;list-style:none}ul{padding:0}.soft{opacity:.8;margin:.1rem 0 0 1.8rem}[dir=rtl] .soft{margin:.1rem 1.8rem 0 0}button{font:inherit;padding:.6rem 1.2rem;min-height:44px}';

/** No scripts, no frames, kept by nobody, and the address given to nobody. */
export const PAGE_HEADERS = {
  'Content-Security-Policy': "default-src 'none'; style-src 'unsafe-inline'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'",
  'Referrer-Policy': 'no-referrer',
  'Cache-Control': 'no-store',
  'X-Robots-Tag': 'noindex',
  'X-Content-Type-Options': 'nosniff',
};

/** A router for pages that need no sign-in. */
export function publicRouter(): Router {
  const router = Router();
  router.use((_request, response, next) => {
    response.set(PAGE_HEADERS);
    next();
  });
  return router;
}

/** The language of a page, as HTML names it, and what it looks like beside what all have. */
export interface PageLanguage {
  readonly lang: string;
  readonly dir: 'ltr' | 'rtl';
  /** CSS without "<". */
  readonly style?: string | undefined;
  /** Whose page it is, in HTML. */
  readonly brand?: string | undefined;
}

/** Answers with a small page of one thing. @param title, body HTML */
export function sendPage(
  response: Response,
  title: string,
  body: string,
  { lang, dir, style = '', brand }: PageLanguage = { lang: 'en', dir: 'ltr' },
): void {
  response
    .type('html')
    .send(
      `<!doctype html><html lang="${lang}" dir="${dir}"><meta charset="utf-8"><meta name="viewport" content="width=device-width,initial-scale=1"><title>${title}</title><style>${STYLE}${style}</style><main>${brand === undefined ? '' : `<p class="brand">${brand}</p>`}<h1>${title}</h1>${body}</main></html>`,
    );
}
