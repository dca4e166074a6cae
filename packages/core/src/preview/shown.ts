import { assetHash, pictureType } from '../program/index.js';
import type { MailProject } from '../folder/index.js';
import { harshView } from '../inspect/index.js';

/** How a reader's program would show an email. */
export interface ShownHow {
  readonly scheme: 'light' | 'dark';
  /** Without style sheets, as harsh webmail leaves it. */
  readonly stripped: boolean;
}

/**
 * An email's HTML as a page that shows it under given circumstances, wherever it is opened: the scheme is written into its media queries,
 * since what the browser itself prefers must not matter.
 */
export function shownAs(html: string, { scheme, stripped }: ShownHow): string {
  const plain = stripped ? harshView(html) : html;
  const holds = (wanted: string): string => (wanted === scheme ? '(min-width:0)' : '(max-width:0)');
  return plain.replace(/\(\s*prefers-color-scheme\s*:\s*(light|dark)\s*\)/gi, (_all, wanted: string) => holds(wanted.toLowerCase()));
}

/** Puts the pictures of the mail folder into the HTML, since a folder that is being worked on is served nowhere. */
export function withAssets(html: string, project: MailProject): string {
  if (project.assets.size === 0) return html;
  const byHash = new Map([...project.assets].map(([path, bytes]) => [assetHash(bytes), path] as const));
  const base = (project.settings.baseUrl ?? '').replace(/\/$/, '');
  const pathOf = (address: string): string | undefined => {
    const hash = /(?:\/|cid:)([0-9a-f]{20})(?:\/|@)/.exec(address)?.[1];
    if (hash !== undefined) return byHash.get(hash);
    const within = (base !== '' && address.startsWith(base) ? address.slice(base.length) : address).replace(/^\.?\//, '');
    return project.assets.has(within) ? within : undefined;
  };
  return html.replace(/\b(src|background)="([^"]*)"/g, (all, name: string, address: string) => {
    const path = pathOf(address);
    const bytes = path === undefined ? undefined : project.assets.get(path);
    return path === undefined || bytes === undefined
      ? all
      : `${name}="data:${pictureType(path)};base64,${Buffer.from(bytes).toString('base64')}"`;
  });
}
