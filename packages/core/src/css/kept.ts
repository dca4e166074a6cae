import type { Element } from 'domhandler';
import { stronger, type Applied, type Written } from './applied.js';
import type { SheetDeclaration, SheetRule } from './sheet.js';
import { compareSpecificity } from './specificity.js';
import { overlaps } from './values.js';

/** A declaration that stays in a style sheet, where anything that is written into an element would beat it. */
export interface Kept {
  readonly rule: SheetRule;
  readonly declaration: SheetDeclaration;
  readonly elements: ReadonlySet<Element>;
  /** The same is written into elements too, for clients without style sheets. */
  readonly isCopy: boolean;
  important: boolean;
  /** By how many ids its selector has to be heavier than it is written, so that its order among the important ones stays. */
  raise: number;
}

/** Past so many, everything that stays is made important without looking at each. */
const MOST_LOOKED_AT = 1500;

export function keptOf(rule: SheetRule, declaration: SheetDeclaration, elements: ReadonlySet<Element>, isCopy = false): Kept {
  return { rule, declaration, elements, isCopy, important: declaration.important, raise: 0 };
}

/** What tells one declaration of one selector from all others of a document. */
export function copyName({ selector, order }: SheetRule, { property, value, important }: SheetDeclaration): string {
  return [order, selector, property, value, important].join('\0');
}

const appliedOf = ({ rule, declaration }: Kept): Applied => ({ rule, declaration, level: declaration.important ? 2 : 0 });

/** What may overlap with a property has the same first word, or is one of the odd ones. */
function familyOf(property: string): string {
  const [first = ''] = property.split('-');
  if (first === 'line') return 'font';
  return ['top', 'right', 'bottom', 'left'].includes(first) ? 'inset' : first === 'column' ? 'columns' : first;
}

function share(a: Kept, b: Kept): boolean {
  const [few, many] = a.elements.size < b.elements.size ? [a, b] : [b, a];
  for (const element of few.elements) if (many.elements.has(element)) return true;
  return false;
}

type Pair = readonly [weak: Kept, strong: Kept];

/** Declarations that may hold for the same element and property. */
function pairsOf(kept: readonly Kept[]): Pair[] {
  const families = new Map<string, Kept[]>();
  for (const each of kept) {
    const name = familyOf(each.declaration.property);
    families.set(name, [...(families.get(name) ?? []), each]);
  }
  return [...families.values()].flatMap((family) =>
    family.flatMap((a, i) =>
      family
        .slice(i + 1)
        .filter((b) => overlaps(a.declaration.property, b.declaration.property) && share(a, b))
        .map((b): Pair => (stronger(appliedOf(a), appliedOf(b)) > 0 ? [b, a] : [a, b])),
    ),
  );
}

/**
 * Decides what becomes important, so that with the style sheet everything is as strong as it was before declarations were written into the
 * elements. Changes `kept` (also adds copies to it) and `written`.
 * @param elementsOf the elements that a rule concerns
 */
export function settleImportance(
  kept: Kept[],
  written: ReadonlyMap<Element, readonly Written[]>,
  elementsOf: (rule: SheetRule) => ReadonlySet<Element>,
): void {
  if (kept.length > MOST_LOOKED_AT) {
    for (const each of kept) each.important = true;
    return;
  }
  const copied = new Set(kept.filter(({ isCopy }) => isCopy).map(({ rule, declaration }) => copyName(rule, declaration)));
  const beside: Beside = { kept, written, elementsOf, copied };
  let pairs = pairsOf(kept);
  for (let hasChanged = true; hasChanged;) {
    hasChanged = false;
    const before = kept.length;
    for (const each of [...kept]) if (besideWritten(each, beside)) hasChanged = true;
    for (const [element, list] of written) if (amongWritten(element, list, beside)) hasChanged = true;
    if (kept.length > before) pairs = pairsOf(kept);
    for (const [weak, strong] of pairs) {
      if (weak.important && !strong.important) {
        strong.important = true;
        hasChanged = true;
      }
    }
  }
  raiseWhere(pairs, new Map(kept.map((each, i) => [each, i])));
}

interface Beside {
  readonly kept: Kept[];
  readonly written: ReadonlyMap<Element, readonly Written[]>;
  readonly elementsOf: (rule: SheetRule) => ReadonlySet<Element>;
  readonly copied: Set<string>;
}

/** Compares one that stays with what is written into its elements. @returns whether something became important */
function besideWritten(each: Kept, beside: Beside): boolean {
  let hasChanged = false;
  const own = appliedOf(each);
  for (const element of each.elements) {
    for (const other of beside.written.get(element) ?? []) {
      const { declaration, rule } = other.applied;
      if (!overlaps(declaration.property, each.declaration.property)) continue;
      const isSame = rule === each.rule && declaration === each.declaration;
      if (isSame || stronger(own, other.applied) > 0) {
        if (!each.important) hasChanged = true;
        each.important = true;
      } else if (each.important && strengthen(other, element, beside)) hasChanged = true;
    }
  }
  return hasChanged;
}

/**
 * Makes what is written into an element stronger than what stays in a sheet. Nothing in a sheet is above an important attribute: where
 * something has to be, the declaration itself stays in the sheet too.
 * @returns whether something changed
 */
function strengthen(other: Written, element: Element, beside: Beside): boolean {
  const { kept, elementsOf, copied } = beside;
  const { declaration, rule } = other.applied;
  if (other.important || (rule !== undefined && copied.has(copyName(rule, declaration)))) return false;
  const isBetween = kept.some(
    (third) =>
      third.elements.has(element) &&
      overlaps(third.declaration.property, declaration.property) &&
      stronger(appliedOf(third), other.applied) > 0,
  );
  if (isBetween && rule !== undefined) {
    copied.add(copyName(rule, declaration));
    kept.push(keptOf(rule, declaration, elementsOf(rule), true));
  } else other.important = true;
  return true;
}

/** What is stronger than something important is important too. @returns whether something changed */
function amongWritten(element: Element, list: readonly Written[], beside: Beside): boolean {
  let hasChanged = false;
  list.forEach((weak, i) => {
    if (!weak.important) return;
    for (const strong of list.slice(i + 1)) {
      const { property } = strong.applied.declaration;
      if (overlaps(weak.applied.declaration.property, property) && strengthen(strong, element, beside)) hasChanged = true;
    }
  });
  return hasChanged;
}

/** The place of a declaration in its rule. */
function placeOf({ rule, declaration }: Kept): number {
  return rule.declarations.indexOf(declaration);
}

/** Among those of one importance only weight and order count, whatever layer or importance they had. */
function raiseWhere(pairs: readonly Pair[], places: ReadonlyMap<Kept, number>): void {
  const place = (each: Kept): number => places.get(each) ?? 0;
  const equals = pairs.filter(([weak, strong]) => weak.important === strong.important);
  const byStrong = new Map<Kept, Kept[]>();
  for (const [weak, strong] of equals) byStrong.set(strong, [...(byStrong.get(strong) ?? []), weak]);
  const ascending = [...byStrong.keys()].sort((a, b) => stronger(appliedOf(a), appliedOf(b)) || place(a) - place(b));
  for (const strong of ascending) {
    for (const weak of byStrong.get(strong) ?? []) {
      const [ids, classes, types] = weak.rule.written;
      const wanted = [ids + weak.raise, classes, types] as const;
      const isAbove = (): boolean => {
        const [a, b, c] = strong.rule.written;
        const order = compareSpecificity([a + strong.raise, b, c], wanted);
        const isLater = strong.rule.order - weak.rule.order || placeOf(strong) - placeOf(weak) || place(strong) - place(weak);
        return order > 0 || (order === 0 && isLater > 0);
      };
      while (!isAbove()) strong.raise += 1;
    }
  }
}
