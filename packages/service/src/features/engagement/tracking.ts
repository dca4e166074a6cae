import {
  labelMask,
  readHitToken,
  rewriteLinks,
  withoutMarks,
  withPicture,
  writeHitToken,
  type HitOf,
  type TrackedLink,
} from '@verbalis/core/engagement';
import { escapeHtml } from '@verbalis/core/render';

/** How the links of one email are tracked. Plain data, so that another thread can do it. */
export interface EmailTracking {
  /** Where links and pictures are: "https://post.saltmarsh-ferries.example", without "/" at its end. */
  readonly base: string;
  /** Addresses that begin with one of these are the service's own. */
  readonly own: readonly string[];
  readonly key: Uint8Array;
  readonly opens: boolean;
  readonly clicks: boolean;
  /** The links of the text part, too. */
  readonly text: boolean;
  readonly of: HitOf;
}

/** Proxies and servers refuse addresses that are longer: such links stay as they are. */
const LONGEST = 8000;

/** What an email shows. */
interface Shown {
  readonly html: string | undefined;
  readonly text: string;
  readonly flowed: string;
}

/**
 * Puts the addresses of the service into an email; without tracking, removes the marks that are for us alone.
 * @param about the data and the recipients of the email; their values are removed from link labels
 */
export function trackEmail<T extends Shown>(shown: T, tracking: EmailTracking | undefined, about: unknown): T {
  const { html } = shown;
  if (html === undefined) return shown;
  if (tracking === undefined) return { ...shown, html: withoutMarks(html) };
  const { base, own, key, of, clicks, opens } = tracking;
  const isOwn = (url: string): boolean => own.some((start) => url === start || url.startsWith(`${start}/`));
  const mask = labelMask(about);
  const linkFor = ({ count, label, ...link }: TrackedLink): string | undefined => {
    const address = `${base}/go/${writeHitToken(key, { of, links: count, label: mask(label), ...link })}`;
    return address.length > LONGEST ? undefined : address;
  };
  const made = clicks ? rewriteLinks(html, linkFor, isOwn) : { html: withoutMarks(html), text: (text: string) => text, count: 0 };
  const picture = (): string => `${base}/image/${writeHitToken(key, { of, index: 0, links: made.count, label: '', block: '', url: '' })}`;
  return {
    ...shown,
    html: opens ? withPicture(made.html, picture()) : made.html,
    ...(tracking.text ? { text: made.text(shown.text), flowed: made.text(shown.flowed) } : {}),
  };
}

const OWN_ADDRESS = /"https?:\/\/[^"/<>\s]+\/(go|image)\/([\w-]{30,})"/g;

/** HTML as it was before: links lead to their targets, and the tracking image is removed. @param key that signed them */
export function withoutTracking(html: string, key: Uint8Array): string {
  return html.replace(OWN_ADDRESS, (whole, kind: string, token: string) => {
    const read = readHitToken(key, token);
    if (read === undefined) return whole;
    return kind === 'go' ? `"${escapeHtml(read.url)}"` : '"data:,"';
  });
}
