import type { Request, Response } from 'express';
import { PAGE_HEADERS, sendPage } from '../../kernel/public-page.js';
import { spokenIn } from './words.js';

/** Answers a link that is not one of ours, in the reader's language. */
export function refuseLink(request: Request, response: Response): void {
  const { words, language } = spokenIn(request.acceptsLanguages());
  sendPage(response.status(404).set(PAGE_HEADERS), words.unknownTitle, `<p>${words.unknown}</p>`, language);
}
