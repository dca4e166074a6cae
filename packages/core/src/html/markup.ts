import type { Op } from '../render/index.js';

const ENTITIES: Readonly<Record<string, string>> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' };

/** Escapes text that is fixed when the template is compiled. */
export function fixed(text: string): string {
  return text.replace(/[&<>"]/g, (char) => ENTITIES[char] ?? '');
}

/** Neighbouring texts as one, empty ones away. */
export function joined(ops: readonly Op[]): Op[] {
  const out: Op[] = [];
  for (const op of ops) {
    const last = out[out.length - 1];
    if (typeof op === 'string' && typeof last === 'string') out[out.length - 1] = last + op;
    else if (op !== '') out.push(op);
  }
  return out;
}

type Piece = string | number | readonly Op[];

/** Markup written as a template literal, with operations in it. Texts put in must be escaped already (`fixed`). */
export function markup(texts: TemplateStringsArray, ...pieces: readonly Piece[]): Op[] {
  const out: Op[] = [];
  texts.forEach((text, i) => {
    out.push(text);
    const piece = pieces[i];
    if (piece === undefined) return;
    if (typeof piece === 'string' || typeof piece === 'number') out.push(String(piece));
    else out.push(...piece);
  });
  return joined(out);
}

/** CSS declarations as the value of a style attribute. */
export function css(declarations: Readonly<Record<string, string | number | undefined>>): string {
  return Object.entries(declarations)
    .filter(([, value]) => value !== undefined)
    .map(([name, value]) => `${name}:${typeof value === 'number' ? `${value}px` : String(value)}`)
    .join(';')
    .replace(/"/g, "'");
}
