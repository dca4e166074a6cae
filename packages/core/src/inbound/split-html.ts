import type { ChildNode } from 'domhandler';
import { cleanHtml } from './clean-html.js';
import { linesOf, readHtml } from './html-lines.js';
import { rolesOf } from './roles.js';
import { joined, type SplitText } from './split-text.js';

/** An HTML part in its parts. */
export interface SplitHtml extends SplitText {
  /** What its author has written for this email: without anything that runs or loads. */
  readonly html: string;
  /** The whole, cleaned likewise. */
  readonly whole: string;
  readonly remotePictures: number;
  readonly hadActive: boolean;
}

/** Characters of HTML that are read. */
const MOST_HTML = 2 * 1024 * 1024;

/** Splits the HTML of an answer; undefined for what no person has written: too long, too deep. */
export function splitHtml(html: string): SplitHtml | undefined {
  if (html.length > MOST_HTML) return undefined;
  const document = readHtml(html);
  if (document === undefined) return undefined;
  const lines = linesOf(document);
  if (lines === undefined) return undefined;
  const roles = rolesOf(lines);
  const gone = new Set<ChildNode>();
  lines.forEach(({ nodes }, i) => {
    if (roles[i] !== 'new') for (const node of nodes) gone.add(node);
  });
  const whole = cleanHtml(document);
  const own = cleanHtml(document, (node) => !gone.has(node));
  return { ...joined(lines, roles), html: own.html, whole: whole.html, remotePictures: whole.remotePictures, hadActive: whole.hadActive };
}
