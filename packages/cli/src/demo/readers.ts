import type { Client } from '@verbalis/client';

const [MINUTE, HOUR] = [60_000, 3_600_000];

const BROWSERS = [
  'Mozilla/5.0 (Windows NT 10.0; Win64; x64; rv:140.0) Gecko/20100101 Firefox/140.0',
  'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0',
  'Mozilla/5.0 (Linux; Android 15) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/142.0.0.0 Mobile Safari/537.36',
  'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Thunderbird/140.5.0',
] as const;
const SCANNER = 'Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/120.0.0.0 Safari/537.36';
/** What a proxy that loads the images of every email calls itself. */
const IMAGE_PROXY = 'Mozilla/5.0';

/** A number from 0 to 1 that is the same for the same words. */
type Chance = (...words: readonly (string | number)[]) => number;

interface Visit {
  readonly at: number;
  readonly path: string;
  readonly agent: string;
  readonly method?: string;
  readonly body?: string;
}

export interface Readers {
  /** Emails of templates that are followed have been sent: who will read them, and when, is decided. */
  readonly sent: (ids: readonly string[], at: number) => Promise<void>;
  /** Does what is due. */
  readonly act: (now: number) => Promise<void>;
}

/** Whether emails of a template are read by anybody here: they have links of the news, or of another sailing. */
export const isFollowed = (template: string | undefined): boolean => template === 'pier-bulletin' || template === 'sailing-cancelled';

/** How an address reads: whether something stands before it that follows all links, or loads all images. */
function habitsOf(address: string): { readonly isScanned: boolean; readonly isProxied: boolean } {
  return { isScanned: address.endsWith('@harbourmail.example'), isProxied: address.endsWith('@yubin.test') };
}

function visitsTo(
  html: string,
  { id, address, at }: { readonly id: string; readonly address: string; readonly at: number },
  chance: Chance,
): Visit[] {
  const paths = (pattern: RegExp): string[] => [...html.matchAll(pattern)].map(([, path = '']) => path);
  const links = [...new Set(paths(/href="https?:\/\/[^"/]+(\/go\/[^"]+)"/g))];
  const [image] = paths(/src="https?:\/\/[^"/]+(\/image\/[^"]+)"/g);
  const [leave] = paths(/href="https?:\/\/[^"/]+(\/unsubscribe\/[^"]+)"/g);
  const { isScanned, isProxied } = habitsOf(address);
  const out: Visit[] = [];
  if (isScanned) for (const path of links) out.push({ at: at + MINUTE, path, agent: SCANNER });
  if (isProxied && image !== undefined) out.push({ at: at + 5 * MINUTE, path: image, agent: IMAGE_PROXY });
  if (chance('reads', id) > 0.55) return out;
  // Most look within hours, some after days.
  const read = at + HOUR * (0.6 + 30 * chance('when', id) ** 4);
  const agent = BROWSERS[Math.floor(chance('browser', address) * BROWSERS.length)] ?? BROWSERS[0];
  if (image !== undefined && !isProxied) out.push({ at: read, path: image, agent });
  const follows = Math.floor(chance('follows', id) * 2.6);
  for (let i = 0; i < Math.min(follows, links.length - 1, 2); i += 1) {
    const path = links[Math.floor(chance('which', id, i) ** 2 * links.length)] ?? '';
    out.push({ at: read + (i + 1) * HOUR, path, agent });
    if (chance('again', id, i) < 0.15) out.push({ at: read + (i + 5) * HOUR, path, agent });
  }
  if (leave === undefined) return out;
  if (chance('leaves', address) < 0.05)
    out.push({ at: read + 2 * HOUR, path: leave, agent, method: 'POST', body: 'List-Unsubscribe=One-Click' });
  else if (chance('pauses', address) < 0.02)
    out.push({ at: read + 2 * HOUR, path: leave.replace('/unsubscribe/', '/preferences/'), agent, method: 'POST', body: 'do=pause' });
  return out;
}

/**
 * People who read what Saltmarsh Ferries writes: they follow links, load images, leave the topic; and the machines before them. All of it goes
 * over the network interface of the service, as it does in life.
 */
export function demoReaders(client: Client, url: string, chance: Chance): Readers {
  let visits: Visit[] = [];
  return {
    async sent(ids, at) {
      for (const id of ids) {
        const [delivery] = (await client.messages.get(id)).deliveries;
        if (delivery === undefined) continue;
        if (delivery.state !== 'accepted' && delivery.state !== 'delivered') continue;
        const { html } = await client.messages.mail(id);
        visits.push(...visitsTo(html, { id, address: delivery.address, at }, chance));
      }
    },
    async act(now) {
      const due = visits.filter((visit) => visit.at <= now).sort((a, b) => a.at - b.at);
      visits = visits.filter((visit) => visit.at > now);
      for (const { path, agent, method = 'GET', body } of due)
        await fetch(url + path, { method, redirect: 'manual', headers: { 'user-agent': agent }, ...(body === undefined ? {} : { body }) });
    },
  };
}
