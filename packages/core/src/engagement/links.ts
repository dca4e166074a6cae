import { walkMarkup, type Tag, type TagAttribute } from '../html/index.js';
import { escapeHtml } from '../render/index.js';
import { secretIn } from './secrets.js';

/** A link of an email that may be followed through the service. */
export interface TrackedLink {
  /** From 1, in the order of the email; the same address and words have the same number. */
  readonly index: number;
  /** How many of them the email has. */
  readonly count: number;
  /** Its words, or what is said in place of its picture; at most 80 characters. */
  readonly label: string;
  /** The block that contains it: "action", "picture"; empty for one in prose or in HTML of one's own. */
  readonly block: string;
  /** Absolute, as a browser asks for it (URL Standard). */
  readonly url: string;
}

/** The address that takes the place of a link's own; undefined to leave it as it is. */
export type LinkFor = (link: TrackedLink) => string | undefined;

interface Found {
  readonly attribute: TagAttribute;
  /** The attribute that says whether it may be tracked; it is not sent. */
  readonly mark: TagAttribute | undefined;
  readonly url: string | undefined;
  /** Stands in markup for the Word engine: the same link follows for all others. */
  readonly isHidden: boolean;
  block: string;
  label: string;
}

/** What an author writes at a link that must lead straight to its target, in `data-track`. */
const MARK = 'data-track';
const LINKS = new Set(['a', 'area']);
const LONGEST_LABEL = 80;
/** Links beyond this number stay as they are: no reader has a use for them, and a hostile email could hold a hundred thousand. */
const MOST_LINKS = 500;

/** The address as a browser would ask for it; undefined for what is not on the web. */
function webAddress(text: string): string | undefined {
  if (!/^\s*https?:/i.test(text) || !URL.canParse(text)) return undefined;
  return new URL(text).href;
}

const named = (tag: Tag, name: string): TagAttribute | undefined => tag.attributes.find((attribute) => attribute.name === name);

/** Links in the order of the text, those in conditional comments included. */
function linksIn(html: string): { found: Found[]; marks: TagAttribute[]; hasCode: boolean } {
  const found: Found[] = [];
  const marks: TagAttribute[] = [];
  let hasCode = false;
  let open: Found | undefined;
  const read = (markup: string, offset: number, isHidden: boolean): void => {
    walkMarkup(markup, {
      tag(tag) {
        if (tag.kind === 'other') {
          const comment = isHidden ? undefined : /^<!--\[if[^\]]*\]>([\s\S]*)<!\[endif\]-->$/.exec(markup.slice(tag.from, tag.to))?.[1];
          if (comment !== undefined) read(comment, tag.to - comment.length - '<![endif]-->'.length, true);
          return;
        }
        const isLink = LINKS.has(tag.name) || (isHidden && tag.name.startsWith('v:'));
        if (tag.kind === 'end') {
          if (tag.name === 'a') open = undefined;
          return;
        }
        const classes = named(tag, 'class')?.value ?? '';
        if (/(?:^|\s)block-passcode(?:\s|$)/.test(classes)) hasCode = true;
        if (open !== undefined && tag.name === 'img') {
          if (open.label.trim() === '' && open.block === '') open.block = 'picture';
          open.label += ` ${named(tag, 'alt')?.value ?? ''} `;
        }
        const own = named(tag, MARK);
        const mark = own === undefined ? undefined : { ...own, from: own.from + offset, to: own.to + offset };
        if (mark !== undefined) marks.push(mark);
        const attribute = isLink ? named(tag, 'href') : undefined;
        if (attribute === undefined) return;
        found.push({
          attribute: { ...attribute, from: attribute.from + offset, to: attribute.to + offset },
          mark,
          url: webAddress(attribute.value),
          isHidden,
          block: /(?:^|\s)block-([a-z]+)(?:\s|$)/.exec(classes)?.[1] ?? '',
          label: named(tag, 'alt')?.value ?? '',
        });
        if (tag.name === 'a') open = found.at(-1);
      },
      text(text) {
        if (open !== undefined && open.label.length < 4 * LONGEST_LABEL) open.label += text.slice(0, 8 * LONGEST_LABEL);
      },
    });
  };
  read(html, 0, false);
  return { found, marks, hasCode };
}

function labelOf(text: string): string {
  const words = text.replace(/[\s\p{Cc}\p{Cf}]+/gu, ' ').trim();
  return [...words].slice(0, LONGEST_LABEL).join('');
}

/** Why a link leads straight to its target; undefined where it may be tracked. */
function untracked({ mark, url }: Found): string | undefined {
  if (url === undefined) return 'it is not on the web';
  const wish = mark?.value.trim().toLowerCase();
  if (wish === 'no') return 'it is marked with track=no';
  return wish === 'yes' ? undefined : secretIn(new URL(url));
}

/** A link as an email shows it, and whether it can be tracked. */
export interface LinkInEmail extends Omit<TrackedLink, 'count'> {
  /** Why it is not tracked where its topic is. */
  readonly untracked: string | undefined;
}

interface ReadLinks {
  readonly marks: readonly TagAttribute[];
  readonly links: readonly (LinkInEmail & { readonly places: readonly TagAttribute[] })[];
}

/** The first that begins after a place; they are in order. */
function firstAfter<Link extends { readonly places: readonly TagAttribute[] }>(links: readonly Link[], place: number): Link | undefined {
  let [low, high] = [0, links.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((links[middle]?.places[0]?.from ?? 0) > place) high = middle;
    else low = middle + 1;
  }
  return links[low];
}

function readLinks(html: string, isOwn: (url: string) => boolean): ReadLinks {
  const { found, marks, hasCode } = linksIn(html);
  const byName = new Map<string, LinkInEmail & { places: TagAttribute[] }>();
  const visible = found.filter(({ isHidden }) => !isHidden);
  const why = (link: Found): string | undefined => {
    if (link.url !== undefined && isOwn(link.url)) return 'it leads to a page of the service';
    return hasCode && link.url !== undefined ? 'the email holds a passcode' : untracked(link);
  };
  for (const link of visible) {
    const name = `${link.url ?? link.attribute.value}\n${labelOf(link.label)}`;
    const known = byName.get(name);
    // One of several that must not be tracked speaks for all of them.
    if (known !== undefined) {
      known.places.push(link.attribute);
      byName.set(name, { ...known, untracked: known.untracked ?? why(link) });
    } else
      byName.set(name, {
        index: byName.size + 1,
        label: labelOf(link.label),
        block: link.block,
        url: link.url ?? link.attribute.value,
        untracked: byName.size < MOST_LINKS ? why(link) : `it comes after ${MOST_LINKS} others`,
        places: [link.attribute],
      });
  }
  const links = [...byName.values()];
  const byUrl = new Map<string, { places: TagAttribute[] }[]>();
  for (const link of links) {
    const alike = byUrl.get(link.url);
    if (alike === undefined) byUrl.set(link.url, [link]);
    else alike.push(link);
  }
  // What the Word engine sees is the link that everybody else finds after it.
  for (const link of found) {
    if (!link.isHidden) continue;
    const twins = byUrl.get(link.url ?? link.attribute.value) ?? [];
    (firstAfter(twins, link.attribute.from) ?? twins[0])?.places.push(link.attribute);
  }
  return { marks, links };
}

/**
 * The links of an email, and why one is not tracked.
 * @param isOwn whether an address is one of the service's own pages
 */
export function linksOf(html: string, isOwn: (url: string) => boolean = () => false): LinkInEmail[] {
  return readLinks(html, isOwn).links.map(({ index, label, block, url, untracked: reason }) => ({
    index,
    label,
    block,
    url,
    untracked: reason,
  }));
}

/** An email's parts with other addresses in its links. */
export interface Rewritten {
  readonly html: string;
  /** Puts the same addresses into a text. */
  readonly text: (text: string) => string;
  /** How many links are tracked. */
  readonly count: number;
}

/**
 * Replaces the addresses of links that can be tracked, and nothing else of the HTML but the marks at links, which are not sent.
 * @param isOwn whether an address is one of the service's own pages, which are never tracked
 */
export function rewriteLinks(html: string, linkFor: LinkFor, isOwn: (url: string) => boolean): Rewritten {
  const { marks, links } = readLinks(html, isOwn);
  const tracked = links.filter(({ untracked: reason }) => reason === undefined);
  const byAddress = new Map<string, string>();
  const changes = marks.map(({ from, to }) => ({ from, to, text: '' }));
  for (const { index, label, block, url, places } of tracked) {
    const address = linkFor({ index, count: tracked.length, label, block, url });
    if (address === undefined) continue;
    if (!byAddress.has(url)) byAddress.set(url, address);
    for (const { from, to } of places) changes.push({ from, to, text: `href="${escapeHtml(address)}"` });
  }
  // One address that must not be tracked is not tracked anywhere.
  for (const { url, untracked: reason } of links) if (reason !== undefined) byAddress.delete(url);
  changes.sort((a, b) => a.from - b.from);
  let [out, last] = ['', 0];
  for (const { from, to, text } of changes) {
    out += html.slice(last, from) + text;
    last = to;
  }
  return { html: out + html.slice(last), text: (text) => rewriteText(text, byAddress), count: tracked.length };
}

const ADDRESS = /https?:\/\/[^\s<>"]+/gi;
/** Signs that end a sentence and not the address before them. */
const AFTER = '.,;:!?)]}\'"\u3002\u061F\u060C';

function withoutAfter(text: string): string {
  let end = text.length;
  while (end > 0 && AFTER.includes(text.charAt(end - 1))) end -= 1;
  return text.slice(0, end);
}

function rewriteText(text: string, byAddress: ReadonlyMap<string, string>): string {
  if (byAddress.size === 0) return text;
  return text.replace(ADDRESS, (found) => {
    for (const candidate of [found, withoutAfter(found)]) {
      const address = byAddress.get(webAddress(candidate) ?? '');
      if (address !== undefined) return address + found.slice(candidate.length);
    }
    return found;
  });
}

/** Adds a picture at the end of what a reader shows. @param address of the picture */
export function withPicture(html: string, address: string): string {
  const picture = `<img src="${escapeHtml(address)}" alt="" width="1" height="1" style="display:block;width:1px;height:1px;border:0">`;
  const end = html.toLowerCase().lastIndexOf('</body');
  return end === -1 ? html + picture : `${html.slice(0, end)}${picture}\n${html.slice(end)}`;
}

/** Removes the marks at links of an email that is not tracked. */
export function withoutMarks(html: string): string {
  return html.includes(MARK)
    ? rewriteLinks(
        html,
        () => undefined,
        () => true,
      ).html
    : html;
}
