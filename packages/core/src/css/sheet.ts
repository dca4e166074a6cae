import {
  generate,
  parse,
  walk,
  type CssNode,
  type Declaration,
  type ParseOptions,
  type Rule,
  type Selector,
  type StyleSheet,
} from 'css-tree';
import { memo } from '../formats/index.js';
import { specificity, type Specificity } from './specificity.js';

export interface SheetDeclaration {
  readonly property: string;
  readonly value: string;
  readonly important: boolean;
}

/** One selector with its declarations. */
export interface SheetRule {
  readonly selector: string;
  /** Without what only a live page can tell (`:hover`): whom it may ever concern. */
  readonly whom: string;
  readonly specificity: Specificity;
  readonly declarations: readonly SheetDeclaration[];
  /** Place in the cascade: later wins. */
  readonly order: number;
  /** It stays in a style sheet: it holds in a state, for a pseudo-element, or under a condition. */
  readonly kept: boolean;
  /** At-rules around it, outermost first ("@media (max-width:480px)"). */
  readonly around: readonly string[];
}

export interface Sheet {
  readonly rules: readonly SheetRule[];
  /** At-rules that hold no rules for elements (`@font-face`, `@keyframes`): kept as they are. */
  readonly statements: readonly string[];
}

// Matched against the mail as it stands; all other pseudo-classes are a matter of the moment and stay in the style sheet.
const STRUCTURAL = new Set([
  'first-child',
  'last-child',
  'only-child',
  'nth-child',
  'nth-last-child',
  'first-of-type',
  'last-of-type',
  'only-of-type',
  'nth-of-type',
  'nth-last-of-type',
  'empty',
  'not',
  'is',
  'where',
  'root',
]);

function isLive(selector: Selector): boolean {
  let live = false;
  walk(selector, (node) => {
    if (node.type === 'PseudoElementSelector') live = true;
    if (node.type === 'PseudoClassSelector' && !STRUCTURAL.has(node.name.toLowerCase())) live = true;
  });
  return live;
}

/** The selector without its live parts. `:not(:hover)` says nothing of whom it concerns, and goes too. */
function without(selector: Selector): string {
  const parts: string[] = [];
  selector.children.forEach((part) => {
    const live =
      part.type === 'PseudoElementSelector' ||
      (part.type === 'PseudoClassSelector' && (!STRUCTURAL.has(part.name.toLowerCase()) || (part.children !== null && hasLive(part))));
    if (!live) parts.push(generate(part));
  });
  const text = parts.join('').trim();
  return text === '' || /[>+~]$/.test(text) ? `${text}*` : text;
}

function hasLive(node: CssNode): boolean {
  let live = false;
  walk(node, (inner) => {
    if (
      inner !== node &&
      (inner.type === 'PseudoElementSelector' || (inner.type === 'PseudoClassSelector' && !STRUCTURAL.has(inner.name.toLowerCase())))
    )
      live = true;
  });
  return live;
}

/** Mistakes in one style sheet; each costs far more than what is right. */
const MOST_MISTAKES = 200;
/** How deep braces and parentheses may be within each other. */
const MOST_DEEP = 64;
const TOO_MANY = new Error('There are too many mistakes in it.');

/** Whether it nests deeper than anything that is meant; what looks like nesting within a text counts. */
function isDeep(text: string): boolean {
  let depth = 0;
  for (const [sign] of text.matchAll(/[({[\])}]/g)) {
    depth = '({['.includes(sign) ? depth + 1 : Math.max(0, depth - 1);
    if (depth > MOST_DEEP) return true;
  }
  return false;
}

/** Reads CSS. @returns undefined when it has too many mistakes to be a style sheet, or nests too deep */
function read(text: string, options: ParseOptions): CssNode | undefined {
  if (isDeep(text)) return undefined;
  let mistakes = 0;
  try {
    return parse(text, {
      ...options,
      onParseError: (error, fallback) => {
        mistakes += 1;
        if (mistakes > MOST_MISTAKES) throw TOO_MANY;
        options.onParseError?.(error, fallback);
      },
    });
  } catch (error) {
    if (error === TOO_MANY) return undefined;
    throw error;
  }
}

/** Reads CSS as browsers do: what is malformed is passed over (CSS Syntax 9), and so is a sheet with too many mistakes. `from` is the first free place in the cascade. */
export function readSheet(text: string, from: number): Sheet {
  const tree = read(text, { parseCustomProperty: false, parseValue: false }) as StyleSheet | undefined;
  const rules: SheetRule[] = [];
  const statements: string[] = [];
  let order = from;
  const visit = (nodes: StyleSheet['children'], around: readonly string[]): void => {
    nodes.forEach((node) => {
      if (node.type === 'Rule') rules.push(...rulesOf(node, around, order++));
      else if (node.type === 'Atrule') {
        const name = node.name.toLowerCase();
        const head = `@${name}${node.prelude === null ? '' : ` ${generate(node.prelude)}`}`;
        if (['media', 'supports', 'layer', 'container'].includes(name) && node.block !== null)
          visit(node.block.children, [...around, head]);
        // An email fetches nothing: imports are left out.
        else if (name !== 'import' && name !== 'charset') statements.push(generate(node));
      }
    });
  };
  if (tree !== undefined) visit(tree.children, []);
  return { rules, statements };
}

function rulesOf(rule: Rule, around: readonly string[], order: number): SheetRule[] {
  if (rule.prelude.type !== 'SelectorList') return [];
  const declarations: SheetDeclaration[] = [];
  rule.block.children.forEach((node) => {
    if (node.type === 'Declaration') declarations.push(declarationOf(node));
  });
  if (declarations.length === 0) return [];
  const out: SheetRule[] = [];
  rule.prelude.children.forEach((selector) => {
    if (selector.type !== 'Selector') return;
    const live = isLive(selector);
    out.push({
      selector: generate(selector),
      whom: live ? without(selector) : generate(selector),
      specificity: specificity(selector),
      declarations,
      order,
      kept: live || around.length > 0,
      around,
    });
  });
  return out;
}

function declarationOf(node: Declaration): SheetDeclaration {
  const value = node.value.type === 'Raw' ? node.value.value.trim() : generate(node.value);
  return {
    property: node.property.startsWith('--') ? node.property : node.property.toLowerCase(),
    value,
    important: node.important !== false,
  };
}

/** Declarations of a style attribute. */
export function readDeclarations(text: string): SheetDeclaration[] {
  const tree = read(text, { context: 'declarationList', parseValue: false, parseCustomProperty: false });
  const out: SheetDeclaration[] = [];
  if (tree?.type === 'DeclarationList') {
    tree.children.forEach((node) => {
      if (node.type === 'Declaration') out.push(declarationOf(node));
    });
  }
  return out;
}

/** What a style sheet says that cannot be read, with its place. Kept, since a folder is read again at every change. */
export const cssFaults = memo((text: string): readonly { readonly offset: number; readonly message: string }[] => {
  const out: { offset: number; message: string }[] = [];
  const tree = read(text, {
    positions: true,
    onParseError: (error) => {
      out.push({ offset: error.offset, message: error.message.charAt(0).toLowerCase() + error.message.slice(1) });
    },
  });
  if (tree === undefined)
    out.push({
      offset: 0,
      message: `it has more than ${MOST_MISTAKES} mistakes or nests deeper than ${MOST_DEEP} levels, so that nothing of it holds`,
    });
  return out;
}, 100);

/** Classes that the selectors of a style sheet name, each once, with its place. */
export const classesIn = memo((text: string): readonly { readonly name: string; readonly offset: number }[] => {
  const out = new Map<string, number>();
  const tree = read(text, { positions: true, parseValue: false });
  if (tree === undefined) return [];
  walk(tree, (node) => {
    if (node.type === 'ClassSelector' && !out.has(node.name)) out.set(node.name, node.loc?.start.offset ?? 0);
  });
  return [...out].map(([name, offset]) => ({ name, offset }));
}, 100);
