import { selectAll } from 'css-select';
import type { AnyNode, Document, Element } from 'domhandler';
import { readDeclarations, readSheet, type SheetDeclaration, type SheetRule } from './sheet.js';
import { compareSpecificity } from './specificity.js';

export interface Inlined {
  /** What has to stay in a `<style>`: media queries, states, pseudo-elements, fonts. Empty when there is nothing. */
  readonly rest: string;
}

interface Applied {
  readonly declaration: SheetDeclaration;
  /** Cascade level: attribute that is a default only, normal sheet, normal attribute, important sheet, important attribute (CSS Cascade 6). */
  readonly level: -1 | 0 | 1 | 2 | 3;
  readonly rule: SheetRule | undefined;
}

function stronger(a: Applied, b: Applied): number {
  if (a.level !== b.level) return a.level - b.level;
  if (a.rule === undefined || b.rule === undefined) return 0;
  return compareSpecificity(a.rule.specificity, b.rule.specificity) || a.rule.order - b.rule.order;
}

/** Whether setting one property changes the other: itself, or a shorthand of it ("border" and "border-top-color"). */
function overlaps(a: string, b: string): boolean {
  if (a === b || a === 'all' || b === 'all') return true;
  if (a.startsWith(`${b}-`) || b.startsWith(`${a}-`)) return true;
  const border = /^border-(?:(?:top|right|bottom|left)(?:-(?:width|style|color))?|width|style|color)$/;
  return border.test(a) && border.test(b) && a !== b && (a.split('-').length === 2 || b.split('-').length === 2) && crosses(a, b);
}

const SIDES = new Set(['top', 'right', 'bottom', 'left']);

function crosses(a: string, b: string): boolean {
  const parts = (name: string): { side: string | undefined; aspect: string | undefined } => {
    const steps = name.split('-').slice(1);
    return { side: steps.find((step) => SIDES.has(step)), aspect: steps.find((step) => !SIDES.has(step)) };
  };
  const [x, y] = [parts(a), parts(b)];
  return (
    (x.side === undefined || y.side === undefined || x.side === y.side) &&
    (x.aspect === undefined || y.aspect === undefined || x.aspect === y.aspect)
  );
}

function matches(whom: string, document: Document): Element[] {
  try {
    return selectAll<AnyNode, Element>(whom, document);
  } catch {
    // A selector that no matcher knows concerns nobody, as in a browser.
    return [];
  }
}

/**
 * Writes style sheets into the style attributes of a document, as the cascade says: specificity, order, `!important`, attributes above
 * sheets. Inheritance is left to the client. What cannot be written there is given back, made important so that it still comes through; a
 * declaration that is stronger than such a rule is made important too, so that it stays stronger.
 * @param attributes 'author': style attributes were written by the author and stand above sheets; 'default': they are what blocks come
 *   with, and sheets stand above them
 */
export function inlineStyles(document: Document, sheets: readonly string[], attributes: 'author' | 'default' = 'author'): Inlined {
  const rules: SheetRule[] = [];
  const statements: string[] = [];
  for (const text of sheets) {
    const sheet = readSheet(text, rules.length === 0 ? 0 : (rules[rules.length - 1]?.order ?? 0) + 1);
    rules.push(...sheet.rules);
    statements.push(...sheet.statements);
  }
  const applied = new Map<Element, Applied[]>();
  const kept = new Map<Element, Applied[]>();
  for (const rule of rules) {
    for (const element of matches(rule.whom, document)) {
      const into = rule.kept ? kept : applied;
      const list = into.get(element) ?? [];
      into.set(element, list);
      for (const declaration of rule.declarations) list.push({ declaration, rule, level: declaration.important ? 2 : 0 });
    }
  }
  for (const element of new Set([...applied.keys(), ...kept.keys()])) {
    const own = readDeclarations(element.attribs['style'] ?? '').map((declaration): Applied => ({
      declaration,
      rule: undefined,
      level: declaration.important ? 3 : attributes === 'author' ? 1 : -1,
    }));
    const style = styleOf([...(applied.get(element) ?? []), ...own], kept.get(element) ?? []);
    if (style !== '') element.attribs['style'] = style;
  }
  return { rest: [...statements, ...keptText(rules)].join('\n') };
}

function styleOf(list: readonly Applied[], kept: readonly Applied[]): string {
  // Array.sort keeps the order of equals: within one rule the later declaration stays later, and wins.
  const sorted = [...list].sort(stronger);
  const last = new Map<string, Applied>();
  for (const applied of sorted) {
    last.delete(applied.declaration.property);
    last.set(applied.declaration.property, applied);
  }
  return [...last.values()]
    .map((applied) => {
      const { property, value } = applied.declaration;
      const beaten = kept.some((other) => overlaps(other.declaration.property, property) && stronger(applied, other) > 0);
      return `${property}:${value}${beaten ? '!important' : ''}`;
    })
    .join(';');
}

function keptText(rules: readonly SheetRule[]): string[] {
  const out: string[] = [];
  let around = '';
  let open: readonly string[] = [];
  let block: string[] = [];
  const flush = (): void => {
    if (block.length > 0)
      out.push(
        `${open.map((head) => `${head}{`).join('')}${open.length > 0 ? '\n' : ''}${block.join('\n')}${open.length > 0 ? '\n' : ''}${'}'.repeat(open.length)}`,
      );
    block = [];
  };
  // By strength, since all become important: the stronger has to come later or be more specific, as before.
  const important = (rule: SheetRule, { wanted }: { readonly wanted: boolean }): string =>
    rule.declarations
      .filter((declaration) => declaration.important === wanted)
      .map((declaration) => `${declaration.property}:${declaration.value}!important`)
      .join(';');
  for (const wanted of [false, true]) {
    for (const rule of rules) {
      if (!rule.kept) continue;
      const text = important(rule, { wanted });
      if (text === '') continue;
      if (rule.around.join() !== around) {
        flush();
        around = rule.around.join();
        open = rule.around;
      }
      block.push(`${rule.selector}{${text}}`);
    }
  }
  flush();
  return out;
}
