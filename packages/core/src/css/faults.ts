import { parse, walk } from 'css-tree/dist/csstree.esm';
import { memo } from '../formats/index.js';
import { readSelectors, type Around } from './selectors.js';
import { itemsWithin, readStructure, type CssItem } from './structure.js';
import { valueFault } from './values.js';

export interface CssProblem {
  readonly offset: number;
  readonly message: string;
}

/** What a style sheet says that cannot be read, with its place. Kept, since a folder is read again at every change. */
export const cssFaults = memo((text: string): readonly CssProblem[] => {
  const out: CssProblem[] = [];
  const visit = (items: readonly CssItem[], around: Around | undefined): void => {
    for (const item of items) {
      if (item.kind === 'fault') out.push({ offset: item.from, message: item.message });
      else if (item.kind === 'declaration') {
        const message = valueFault(item.property, item.value);
        if (message !== undefined) out.push({ offset: item.from, message });
      } else if (item.kind === 'at') visit(item.body ?? [], around);
      else {
        const list = readSelectors(item.prelude, around);
        if (list === undefined)
          out.push({
            offset: item.from,
            message: `"${item.prelude.slice(0, 80)}" is no selector that browsers know, so the whole rule is void`,
          });
        visit(item.body, { texts: list?.map(({ text: selector }) => selector) ?? ['*'], specificity: [0, 0, 0] });
      }
    }
  };
  visit(readStructure(text), undefined);
  return out;
}, 100);

/** Classes that the selectors of a style sheet name, each once, with its place. */
export const classesIn = memo((text: string): readonly { readonly name: string; readonly offset: number }[] => {
  const out = new Map<string, number>();
  for (const item of itemsWithin(readStructure(text))) {
    if (item.kind !== 'rule' || !item.prelude.includes('.')) continue;
    const tree = parse(item.prelude, { context: 'selectorList', positions: true, onParseError: () => undefined });
    walk(tree, (node) => {
      if (node.type === 'ClassSelector' && !out.has(node.name)) {
        const within = text.indexOf(`.${node.name}`, item.from);
        out.set(node.name, within === -1 ? item.from : within);
      }
    });
  }
  return [...out].map(([name, offset]) => ({ name, offset }));
}, 100);
