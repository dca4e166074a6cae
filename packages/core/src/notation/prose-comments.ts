import type { Insertion } from './expression.js';
import type { Inline } from './tree.js';

/** Texts beside each other are one: between them was a comment. */
export function joinTexts(out: (Inline | Insertion)[], piece: Inline | Insertion): (Inline | Insertion)[] {
  const last = out[out.length - 1];
  if (last?.kind === 'text' && piece.kind === 'text') out[out.length - 1] = { ...last, text: last.text + piece.text };
  else out.push(piece);
  return out;
}

/** Whether HTML that Markdown found is one comment and nothing else. */
export function isComment(html: string): boolean {
  return /^<!--[\s\S]*-->\s*$/.test(html) && html.indexOf('-->') >= html.trimEnd().length - 3;
}
