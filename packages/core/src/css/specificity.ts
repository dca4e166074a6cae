import type { CssNode, Selector } from 'css-tree';

/** Ids, classes, types (Selectors Level 4, 16): compared from the left. */
export type Specificity = readonly [number, number, number];

export function compareSpecificity(a: Specificity, b: Specificity): number {
  return a[0] - b[0] || a[1] - b[1] || a[2] - b[2];
}

function highest(list: CssNode | undefined | null): Specificity {
  let best: Specificity = [0, 0, 0];
  if (list?.type === 'SelectorList') {
    list.children.forEach((one) => {
      if (one.type === 'Selector') {
        const found = specificity(one);
        if (compareSpecificity(found, best) > 0) best = found;
      }
    });
  }
  return best;
}

export function specificity(selector: Selector): Specificity {
  let [ids, classes, types] = [0, 0, 0];
  selector.children.forEach((part) => {
    switch (part.type) {
      case 'IdSelector':
        ids += 1;
        break;
      case 'ClassSelector':
      case 'AttributeSelector':
        classes += 1;
        break;
      case 'TypeSelector':
        if (part.name !== '*') types += 1;
        break;
      case 'PseudoElementSelector':
        types += 1;
        break;
      case 'PseudoClassSelector': {
        const name = part.name.toLowerCase();
        if (name === 'where') break;
        if (name === 'is' || name === 'not' || name === 'has') {
          const [a, b, c] = highest(part.children?.first);
          ids += a;
          classes += b;
          types += c;
        } else if (name === 'before' || name === 'after' || name === 'first-line' || name === 'first-letter') types += 1;
        else classes += 1;
        break;
      }
      default:
    }
  });
  return [ids, classes, types];
}
