import { createClient } from '@verbalis/client';
import type { SendSignIn } from './app.js';
import type { TemplateData } from './templates.js';

/** Sends by Verbalis: the template's name and its data are checked by the compiler. */
export function sendByVerbalis(url: string, key: string): SendSignIn {
  const mail = createClient<TemplateData>({ url, key });
  return async (to, { code, link, validMinutes }) => {
    await mail.messages.send({
      template: 'sign-in',
      to: [to],
      data: { code, link, validMinutes },
      // A code that is valid for ten minutes is not delivered in the eleventh.
      expiresAt: new Date(Date.now() + validMinutes * 60_000).toISOString(),
    });
  };
}
