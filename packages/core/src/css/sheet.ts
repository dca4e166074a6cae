import { memo } from '../formats/index.js';
import type { Layer, Layers } from './layers.js';
import { concernOf, heaviest, readSelectors, subjectOf, type Around, type Concern, type ReadSelector } from './selectors.js';
import { compareSpecificity, specificity, type Specificity } from './specificity.js';
import { readBody, readStructure, type CssAtRule, type CssDeclaration, type CssItem, type CssRule } from './structure.js';

export type SheetDeclaration = Pick<CssDeclaration, 'property' | 'value' | 'important'>;

/** One selector with its declarations, out of any nesting. */
export interface SheetRule {
  readonly selector: string;
  readonly concern: Concern;
  readonly subject: ReturnType<typeof subjectOf>;
  /** Its weight in the cascade, and the weight of the selector as it is written here: nesting may make them differ. */
  readonly specificity: Specificity;
  readonly written: Specificity;
  readonly declarations: readonly SheetDeclaration[];
  /** Place in the cascade: later wins. */
  readonly order: number;
  readonly layer: Layer;
  /** It holds in a state, for a pseudo-element, or under a condition, or is about the whole mail: it stays in its sheet. */
  readonly isConditional: boolean;
  /** At-rules around it, outermost first ("@media (max-width:480px)"); without layers. */
  readonly around: readonly string[];
}

/** A rule of a sheet and the flat rules made from it. */
export interface PlacedRule {
  readonly item: CssRule;
  /** None where browsers pass over the rule. */
  readonly rules: readonly SheetRule[];
  /** Other rules stand within it. */
  readonly isNest: boolean;
  /** How many conditions stand around it. */
  readonly depth: number;
}

export interface Sheet {
  readonly text: string;
  readonly items: readonly CssItem[];
  readonly placed: ReadonlyMap<CssItem, PlacedRule>;
  /** All rules in the order of the cascade. */
  readonly rules: readonly SheetRule[];
}

interface Surroundings {
  readonly around: readonly string[];
  readonly layer: Layer;
}

export interface SheetInput {
  readonly text: string;
  /** The media query of the element that holds it. */
  readonly media?: string | undefined;
}

/** Reads a style sheet as browsers do: what is malformed is passed over. `from` is the first free place in the cascade. */
export function readSheet({ text, media }: SheetInput, layers: Layers, from: number): Sheet {
  const items = structureOf(text);
  const placed = new Map<CssItem, PlacedRule>();
  const all: SheetRule[] = [];
  let order = from;

  /** The rules that come of the declarations directly in a block, and of what is nested in it. */
  const flatten = (body: readonly CssItem[], list: readonly ReadSelector[], { around, layer }: Surroundings): SheetRule[] => {
    const out: SheetRule[] = [];
    let run: CssDeclaration[] = [];
    const flush = (): void => {
      if (run.length > 0) out.push(...list.map((selector) => ruleOf(selector, run, { around, layer, order })));
      order += 1;
      run = [];
    };
    const parent: Around = { texts: list.map(({ text: selector }) => selector), specificity: heaviest(list) };
    for (const item of body) {
      if (item.kind === 'declaration') run.push(item);
      else if (item.kind === 'rule') {
        flush();
        const nested = readSelectors(item.prelude, parent);
        if (nested !== undefined) out.push(...flatten(item.body, nested, { around, layer }));
      } else if (item.kind === 'at' && item.body !== undefined) {
        flush();
        out.push(...flatten(item.body, list, within(item, { around, layer }, layers)));
      }
    }
    flush();
    return out;
  };

  const visit = (nodes: readonly CssItem[], surroundings: Surroundings): void => {
    for (const item of nodes) {
      if (item.kind === 'at' && item.name === 'layer' && item.inner === undefined)
        for (const name of item.prelude.split(',')) layers.within(surroundings.layer, name.trim());
      else if (item.kind === 'at' && item.body !== undefined) visit(item.body, within(item, surroundings, layers));
      else if (item.kind === 'rule') {
        const list = readSelectors(item.prelude);
        const rules = list === undefined ? [] : flatten(item.body, list, surroundings);
        placed.set(item, {
          item,
          rules,
          isNest: item.body.some(({ kind }) => kind === 'rule' || kind === 'at'),
          depth: surroundings.around.length,
        });
        all.push(...rules);
      }
    }
  };
  visit(items, { around: media === undefined || /^(?:all)?$/i.test(media.trim()) ? [] : [`@media ${media.trim()}`], layer: layers.root });
  return { text, items, placed, rules: all };
}

/** What holds within an at-rule. */
function within(item: CssAtRule, { around, layer }: Surroundings, layers: Layers): Surroundings {
  if (item.name === 'layer') return { around, layer: layers.within(layer, item.prelude) };
  return { around: [...around, headOf(item)], layer };
}

/** An at-rule up to its block. */
export function headOf({ name, prelude }: CssAtRule): string {
  return prelude === '' ? `@${name}` : `@${name} ${prelude}`;
}

/** Clients look for these in a style sheet; in an element they have no effect. */
const OF_THE_MAIL = new Set(['color-scheme', 'supported-color-schemes']);

function ruleOf(
  read: ReadSelector,
  declarations: readonly CssDeclaration[],
  { around, layer, order }: Surroundings & { readonly order: number },
): SheetRule {
  const concern = concernOf(read);
  return {
    selector: read.text,
    concern,
    subject: subjectOf(read),
    specificity: read.specificity,
    written: specificity(read.ast),
    declarations,
    order,
    layer,
    isConditional: concern.isLive || around.length > 0 || declarations.every(({ property }) => OF_THE_MAIL.has(property)),
    around,
  };
}

/** The weight of a rule among those of the same importance. */
export function compareRules(a: SheetRule, b: SheetRule, important: boolean): number {
  const byLayer = a.layer.rank - b.layer.rank;
  if (byLayer !== 0) return important ? -byLayer : byLayer;
  return compareSpecificity(a.specificity, b.specificity) || a.order - b.order;
}

// A folder is read again at every change, and its sheets with every template.
const structureOf = memo(readStructure, 100);

/** Declarations of a style attribute. Those of one mail are much the same. */
export const readDeclarations = memo(
  (text: string): readonly SheetDeclaration[] =>
    readBody(text).flatMap((item) =>
      item.kind === 'declaration' ? [{ property: item.property, value: item.value, important: item.important }] : [],
    ),
  2000,
);
