import type { Client } from '@verbalis/client';
import { readMail, shownText } from '@verbalis/core/mime';
import { until } from './service.js';

// Tracked links of emails, as readers follow them.

/** The publicUrl of services whose links are tracked. */
export const PUBLIC = 'https://mail.saltmarsh-ferries.example';
/** Where the link of {@link linkIn} leads. */
export const STORY = 'https://saltmarsh-ferries.example/news/ramp';
export const BROWSER = 'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0';

/** Sends an email with one link. @returns its address as the reader gets it */
export async function linkIn(client: Client, to: string): Promise<string> {
  const html = `<a href="${STORY}">Read on</a>`;
  const { id } = await client.messages.send({ subject: 'News', html, text: 'x', topic: 'pier-news', to: [to] });
  await until(async () => {
    const { deliveries } = await client.messages.get(id);
    return deliveries[0]?.state === 'accepted' ? true : undefined;
  });
  const mail = readMail(Buffer.from(await client.messages.source(id)));
  return /href="([^"]*\/go\/[^"]*)"/.exec(shownText(mail, 'html') ?? '')?.[1] ?? '';
}

/** @returns where a link leads; null where it leads nowhere */
export const follow = async (link: string): Promise<string | null> =>
  (await fetch(link, { redirect: 'manual', headers: { 'user-agent': BROWSER } })).headers.get('location');
