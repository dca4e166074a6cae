import { generate, parse, walk, type CssNode, type Selector, type SelectorList } from 'css-tree/dist/csstree.esm';
import { compareSpecificity, specificity, type Specificity } from './specificity.js';

/** One selector, with the rules that it is nested in resolved. */
export interface ReadSelector {
  /** As it is written out of its nesting. */
  readonly text: string;
  readonly ast: Selector;
  /** Its weight, which nesting may raise above the weight of what is written. */
  readonly specificity: Specificity;
}

/** What a selector concerns of a document that stands still. */
export interface Concern {
  /** Without what only a live page can tell (`:hover`). */
  readonly whom: string;
  /** It holds in a state only, or for a pseudo-element. */
  readonly isLive: boolean;
  /** It styles a box of its own beside the element's. */
  readonly isPseudoElement: boolean;
}

/** The selectors around a nested rule, and their weight: that of the heaviest (CSS Nesting 1, 3). */
export interface Around {
  readonly texts: readonly string[];
  readonly specificity: Specificity;
}

// Matched against the mail as it stands; all other pseudo-classes are a matter of the moment and stay in the style sheet.
const STRUCTURAL = new Set(
  (
    'first-child last-child only-child nth-child nth-last-child first-of-type last-of-type only-of-type nth-of-type nth-last-of-type ' +
    'empty not is where has root link any-link'
  ).split(' '),
);
const LIVE = new Set(
  (
    'hover active focus focus-visible focus-within visited target target-within checked disabled enabled default indeterminate ' +
    'in-range out-of-range invalid valid user-invalid user-valid optional required read-only read-write placeholder-shown autofill ' +
    'fullscreen modal popover-open open defined dir lang scope current past future playing paused host host-context local-link ' +
    'first left right blank before after first-line first-letter'
  ).split(' '),
);
const PSEUDO_ELEMENTS = new Set(
  (
    'before after first-line first-letter selection marker placeholder backdrop file-selector-button cue cue-region grammar-error ' +
    'spelling-error target-text highlight part slotted details-content'
  ).split(' '),
);
const LEGACY_PSEUDO_ELEMENTS: ReadonlySet<string> = new Set(['before', 'after', 'first-line', 'first-letter']);

const isPseudoElement = (node: CssNode): boolean =>
  node.type === 'PseudoElementSelector' || (node.type === 'PseudoClassSelector' && LEGACY_PSEUDO_ELEMENTS.has(node.name.toLowerCase()));
const isLivePart = (node: CssNode): boolean =>
  node.type === 'PseudoElementSelector' || (node.type === 'PseudoClassSelector' && !STRUCTURAL.has(node.name.toLowerCase()));

function some(node: CssNode, test: (inner: CssNode) => boolean): boolean {
  let found = false;
  walk(node, (inner) => {
    if (test(inner)) found = true;
  });
  return found;
}

/** Whether browsers know all of a selector; one that they do not know voids the whole list that it is in (Selectors 4, 3.9). */
function isKnown(selector: Selector): boolean {
  return !some(selector, (node) => {
    if (node.type === 'PseudoElementSelector') return !PSEUDO_ELEMENTS.has(node.name.toLowerCase());
    if (node.type === 'PseudoClassSelector') return !STRUCTURAL.has(node.name.toLowerCase()) && !LIVE.has(node.name.toLowerCase());
    return node.type === 'Raw';
  });
}

/** Selectors that a nested list may come to, and signs of one that others are nested in: both grow with each level. */
const [MOST_NESTED, MOST_LONG] = [400, 2000];

/**
 * The selectors of a list. `around`: those of the rule that they are nested in.
 * @returns undefined where one of them is malformed or unknown, so that browsers pass over the whole rule, and where nesting makes too much of it
 */
export function readSelectors(prelude: string, around?: Around): ReadSelector[] | undefined {
  const own = listOf(prelude, around !== undefined);
  if (own === undefined) return undefined;
  if (around !== undefined && (own.length * around.texts.length > MOST_NESTED || around.texts.some(({ length }) => length > MOST_LONG)))
    return undefined;
  if (around === undefined) return own.map((ast) => ({ text: generate(ast), ast, specificity: specificity(ast) }));
  return own.flatMap((nested) => {
    const weight = specificity(nested, around.specificity);
    return around.texts.flatMap((parent) => {
      const text = unnested(generate(nested), parent);
      const [ast] = listOf(text, false) ?? [];
      return ast === undefined ? [] : [{ text: generate(ast), ast, specificity: weight }];
    });
  });
}

function listOf(prelude: string, isNested: boolean): Selector[] | undefined {
  const text = isNested ? nestedList(prelude) : prelude;
  const list = parsed(text);
  if (list === undefined) return undefined;
  const selectors: Selector[] = [];
  for (const node of list.children.toArray()) {
    if (node.type !== 'Selector' || !isKnown(node)) return undefined;
    if (node.children.first?.type === 'Combinator' || node.children.last?.type === 'Combinator') return undefined;
    selectors.push(node);
  }
  return selectors.length === 0 ? undefined : selectors;
}

function parsed(text: string): SelectorList | undefined {
  const faults: unknown[] = [];
  try {
    const list = parse(text, { context: 'selectorList', onParseError: (fault) => faults.push(fault) });
    return faults.length > 0 || list.type !== 'SelectorList' ? undefined : list;
  } catch (error) {
    // So css-tree says that it cannot even begin.
    if (error instanceof SyntaxError) return undefined;
    throw error;
  }
}

/** Each selector of a nested list begins with "&" or holds one. */
function nestedList(prelude: string): string {
  return cutAtCommas(prelude)
    .map((selector) => (/^[>+~]/.test(selector) || !hasAmpersand(selector) ? `& ${selector}` : selector))
    .join(',');
}

function cutAtCommas(text: string): string[] {
  const out: string[] = [];
  let depth = 0;
  let from = 0;
  for (const { 0: sign, index } of text.matchAll(/"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'|\\.|[([\])]|,/gs)) {
    if (sign === '(' || sign === '[') depth += 1;
    else if (sign === ')' || sign === ']') depth -= 1;
    else if (sign === ',' && depth === 0) {
      out.push(text.slice(from, index).trim());
      from = index + 1;
    }
  }
  return [...out, text.slice(from).trim()];
}

const AMPERSAND = /"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'|\\.|&/gs;
const hasAmpersand = (text: string): boolean => [...text.matchAll(AMPERSAND)].some(([sign]) => sign === '&');

/** A nested selector with its parent written into it. */
function unnested(nested: string, parent: string): string {
  const isSimple = !/[\s>+~]/.test(parent);
  return nested.replace(AMPERSAND, (sign, offset: number) => {
    if (sign !== '&') return sign;
    return isSimple || offset === 0 ? parent : `:is(${parent})`;
  });
}

/** The heaviest of a list. */
export function heaviest(list: readonly ReadSelector[]): Specificity {
  return list.reduce<Specificity>((best, { specificity: own }) => (compareSpecificity(own, best) > 0 ? own : best), [0, 0, 0]);
}

/** Which elements a selector can match at all. `:not(:hover)` does not narrow that, and is removed too. */
export function concernOf({ ast }: ReadSelector): Concern {
  const isLive = some(ast, isLivePart);
  if (!isLive) return { whom: generate(ast), isLive, isPseudoElement: false };
  const parts: string[] = [];
  ast.children.forEach((part) => {
    const goes = isLivePart(part) || (part.type === 'PseudoClassSelector' && part.children !== null && some(part, isLivePart));
    if (!goes) parts.push(generate(part));
  });
  const text = parts.join('').trim();
  return { whom: text === '' || /[>+~]$/.test(text) ? `${text}*` : text, isLive, isPseudoElement: some(ast, isPseudoElement) };
}

/** Names that a selector's last compound asks for. */
export function subjectOf({ ast }: ReadSelector): { readonly classes: string[]; readonly ids: string[]; readonly types: string[] } {
  const subject = { classes: [] as string[], ids: [] as string[], types: [] as string[] };
  ast.children.forEach((part) => {
    if (part.type === 'Combinator') for (const list of Object.values(subject)) list.length = 0;
    else if (part.type === 'ClassSelector') subject.classes.push(part.name);
    else if (part.type === 'IdSelector') subject.ids.push(part.name);
    else if (part.type === 'TypeSelector' && part.name !== '*') subject.types.push(part.name.toLowerCase());
  });
  return subject;
}
