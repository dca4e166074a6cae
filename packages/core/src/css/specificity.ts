import type { CssNode, Selector } from 'css-tree';

/** Ids, classes, types (Selectors Level 4, 16): compared from the left. */
export type Specificity = readonly [number, number, number];

export function compareSpecificity(a: Specificity, b: Specificity): number {
  return a[0] - b[0] || a[1] - b[1] || a[2] - b[2];
}

function highest(list: CssNode | undefined | null, nesting: Specificity): Specificity {
  let best: Specificity = [0, 0, 0];
  if (list?.type === 'SelectorList') {
    list.children.forEach((child) => {
      if (child.type === 'Selector') {
        const found = specificity(child, nesting);
        if (compareSpecificity(found, best) > 0) best = found;
      }
    });
  }
  return best;
}

const LEGACY_PSEUDO_ELEMENTS: ReadonlySet<string> = new Set(['before', 'after', 'first-line', 'first-letter']);

/** What each part of a selector adds (Selectors Level 4, section 17); a part that is not here adds nothing. */
const ADDS: { readonly [T in CssNode['type']]?: (part: Extract<CssNode, { type: T }>, nesting: Specificity) => Specificity } = {
  IdSelector: () => [1, 0, 0],
  ClassSelector: () => [0, 1, 0],
  AttributeSelector: () => [0, 1, 0],
  TypeSelector: ({ name }) => [0, 0, name === '*' ? 0 : 1],
  PseudoElementSelector: () => [0, 0, 1],
  NestingSelector: (_part, nesting) => nesting,
  PseudoClassSelector: (part, nesting) => {
    const name = part.name.toLowerCase();
    if (name === 'where') return [0, 0, 0];
    if (name === 'is' || name === 'not' || name === 'has') return highest(part.children?.first, nesting);
    return LEGACY_PSEUDO_ELEMENTS.has(name) ? [0, 0, 1] : [0, 1, 0];
  },
};

/** The weight of a selector. @param nesting that of "&" in it */
export function specificity(selector: Selector, nesting: Specificity = [0, 0, 0]): Specificity {
  const sum: [number, number, number] = [0, 0, 0];
  selector.children.forEach((part) => {
    const adds = ADDS[part.type] as ((part: CssNode, nesting: Specificity) => Specificity) | undefined;
    const [ids, classes, types] = adds?.(part, nesting) ?? [0, 0, 0];
    sum[0] += ids;
    sum[1] += classes;
    sum[2] += types;
  });
  return sum;
}
