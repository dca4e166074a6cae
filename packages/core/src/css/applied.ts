import type { Element } from 'domhandler';
import { compareRules, type SheetDeclaration, type SheetRule } from './sheet.js';
import { isSettled, isVoid } from './values.js';
import { resolved, variablesIn } from './variables.js';

/** A declaration that holds for an element. */
export interface Applied {
  readonly declaration: SheetDeclaration;
  /** Cascade level: attribute that is a default only, normal sheet, normal attribute, important sheet, important attribute (CSS Cascade 6). */
  readonly level: -1 | 0 | 1 | 2 | 3;
  /** Undefined for a declaration of the element's own style attribute. */
  readonly rule: SheetRule | undefined;
}

/** One that is written into the element. */
export interface Written {
  readonly applied: Applied;
  /** With its variables put in. */
  readonly value: string;
  important: boolean;
}

/** Positive where the first is stronger. */
export function stronger(a: Applied, b: Applied): number {
  if (a.level !== b.level) return a.level - b.level;
  if (a.rule === undefined || b.rule === undefined) return 0;
  const byRule = compareRules(a.rule, b.rule, a.level === 2);
  // Selectors of one rule have the same declarations.
  return byRule !== 0 || a.rule.declarations !== b.rule.declarations ? byRule : placeOf(a) - placeOf(b);
}

function placeOf({ rule, declaration }: Applied): number {
  return rule?.declarations.indexOf(declaration) ?? 0;
}

/** The variables of elements: what they inherit, and what is declared for themselves. */
export class Variables {
  readonly #of = new Map<Element, ReadonlyMap<string, string>>();
  /** Those that a condition may change: their value is not known before the mail is shown. */
  readonly dynamic = new Set<string>();
  /** Those to which something still refers. */
  readonly needed = new Set<string>();

  enter(element: Element, parent: Element | undefined, list: readonly Applied[]): void {
    const inherited = (parent === undefined ? undefined : this.#of.get(parent)) ?? new Map<string, string>();
    const own = list.filter(({ declaration }) => declaration.property.startsWith('--')).sort(stronger);
    this.#of.set(
      element,
      own.length === 0
        ? inherited
        : new Map([...inherited, ...own.map(({ declaration: { property, value } }) => [property, value] as const)]),
    );
  }

  /** Whether a value, or one that it refers to, depends on a condition. */
  isDynamic(element: Element, value: string, steps = 8): boolean {
    const known = this.#of.get(element);
    return variablesIn(value).some(
      (name) => this.dynamic.has(name) || (steps > 0 && this.isDynamic(element, known?.get(name) ?? '', steps - 1)),
    );
  }

  resolved(element: Element, value: string): string | undefined {
    return resolved(value, this.#of.get(element) ?? new Map());
  }
}

/**
 * What of all that holds for an element has to be written into it, weakest first. What a stronger declaration beats is left out only where
 * every client knows the stronger one.
 */
export function winners(list: readonly Applied[], valueOf: (applied: Applied) => string): Written[] {
  // Array.sort keeps the order of equals: within one rule the later declaration stays later, and wins.
  const sorted = [...list].sort(stronger);
  const settled = new Set<string>();
  const said = new Set<string>();
  const out: Written[] = [];
  for (const applied of sorted.reverse()) {
    const { property } = applied.declaration;
    if (settled.has(property)) continue;
    // A variable of a sheet is put in where it is used, and stays in the sheet where it cannot be.
    if (property.startsWith('--') && applied.rule !== undefined) continue;
    const value = valueOf(applied);
    if (isVoid(property, value) || said.has(`${property}:${value}`)) continue;
    said.add(`${property}:${value}`);
    out.push({ applied, value, important: false });
    if (property.startsWith('--') || isSettled(property, value)) settled.add(property);
  }
  return out.reverse();
}
