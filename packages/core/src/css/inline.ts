import { selectAll } from 'css-select';
import { isTag, type AnyNode, type Document, type Element, type ParentNode } from 'domhandler';
import { Variables, winners, type Applied, type Written } from './applied.js';
import { copyName, keptOf, settleImportance, type Kept } from './kept.js';
import { Layers } from './layers.js';
import { restOf } from './rest.js';
import { readDeclarations, readSheet, type Sheet, type SheetDeclaration, type SheetInput, type SheetRule } from './sheet.js';
import { isPossible } from './values.js';
import { variablesIn } from './variables.js';

export interface Inlined {
  /** What has to stay in a `<style>`, sheet by sheet: conditions, states, fonts, and rules for what clients add. Empty where nothing is left. */
  readonly rests: readonly string[];
}

/** Names that stand where no document shows them, such as in conditional comments: rules for them stay in the sheet. */
export interface Elsewhere {
  readonly classes: ReadonlySet<string>;
  readonly ids: ReadonlySet<string>;
  readonly types: ReadonlySet<string>;
}

export interface InlineOptions {
  /**
   * 'author': style attributes were written by the author and stand above sheets; 'default': they are what blocks come with, and sheets
   * stand above them.
   */
  readonly attributes?: 'author' | 'default';
  readonly elsewhere?: Elsewhere;
  /** Whether an element has a tag in the source, so that a style attribute can be written. */
  readonly isWritten?: (element: Element) => boolean;
}

const NOBODY: ReadonlySet<Element> = new Set();
const NOWHERE: Elsewhere = { classes: new Set(), ids: new Set(), types: new Set() };

function* elementsIn(root: ParentNode): Generator<Element> {
  const waiting: AnyNode[] = [root];
  for (let node = waiting.pop(); node !== undefined; node = waiting.pop()) {
    if (isTag(node)) yield node;
    if ('children' in node) for (let i = node.children.length - 1; i >= 0; i -= 1) waiting.push(node.children[i] as AnyNode);
  }
}

/** Whether an element is never shown. */
function isOfHead(element: Element): boolean {
  return element.name === 'head' || (element.parent !== null && isTag(element.parent) && element.parent.name === 'head');
}

/** One run of the cascade over a document. */
class Cascade {
  readonly #found = new Map<string, ReadonlySet<Element>>();
  readonly sheets: Sheet[] = [];
  readonly rules: SheetRule[] = [];
  readonly kept: Kept[] = [];
  readonly applied = new Map<Element, Applied[]>();
  readonly variables = new Variables();
  readonly #attributes: 'author' | 'default';

  constructor(
    readonly document: Document,
    sheets: readonly SheetInput[],
    attributes: 'author' | 'default',
  ) {
    this.#attributes = attributes;
    const layers = new Layers();
    for (const input of sheets) {
      const sheet = readSheet(input, layers, (this.rules.at(-1)?.order ?? -1) + 1);
      this.sheets.push(sheet);
      this.rules.push(...sheet.rules);
    }
    layers.settle();
  }

  elementsOf = ({ concern: { whom } }: SheetRule): ReadonlySet<Element> => {
    let found = this.#found.get(whom);
    if (found === undefined) this.#found.set(whom, (found = this.#matches(whom)));
    return found;
  };

  #matches(whom: string): ReadonlySet<Element> {
    try {
      return new Set(selectAll<AnyNode, Element>(whom, this.document).filter((element) => !isOfHead(element)));
    } catch {
      // A selector that no matcher knows concerns nobody we know of.
      return NOBODY;
    }
  }

  gather(): void {
    for (const rule of this.rules) {
      const elements = this.elementsOf(rule);
      for (const declaration of rule.declarations) {
        const isVariable = declaration.property.startsWith('--');
        if (isVariable && rule.isConditional) this.variables.dynamic.add(declaration.property);
        // The box of a pseudo-element has a style of its own.
        if (isVariable || rule.isConditional) this.kept.push(keptOf(rule, declaration, rule.concern.isPseudoElement ? NOBODY : elements));
        if (rule.isConditional) continue;
        for (const element of elements) this.#add(element, { declaration, rule, level: declaration.important ? 2 : 0 });
      }
    }
  }

  #add(element: Element, applied: Applied): void {
    const list = this.applied.get(element);
    if (list === undefined) this.applied.set(element, [applied]);
    else list.push(applied);
  }

  ownOf(element: Element): Applied[] {
    return readDeclarations(element.attribs['style'] ?? '').map((declaration) => ({
      declaration,
      rule: undefined,
      level: declaration.important ? 3 : this.#attributes === 'author' ? 1 : -1,
    }));
  }

  /** What is written into each element. */
  decide(): Map<Element, Written[]> {
    const { variables } = this;
    const written = new Map<Element, Written[]>();
    const all = [...elementsIn(this.document)];
    const hasVariables = this.sheets.some(({ text }) => text.includes('--')) || all.some(({ attribs }) => attribs['style']?.includes('--'));
    const touched = new Set([...this.applied.keys(), ...this.kept.flatMap(({ elements }) => [...elements])]);
    for (const element of hasVariables ? all : touched) {
      const own = this.ownOf(element);
      const list = [...(this.applied.get(element) ?? []), ...own];
      const parent = element.parent !== null && isTag(element.parent) ? element.parent : undefined;
      variables.enter(element, parent, list);
      if (list.length > 0)
        written.set(
          element,
          winners(list, (applied) => this.#valueOf(element, applied)),
        );
    }
    return written;
  }

  readonly #copied = new Set<string>();

  /** The value of a declaration for an element, with its variables put in where they are known. */
  #valueOf(element: Element, { declaration, rule }: Applied): string {
    const { variables } = this;
    const { property, value } = declaration;
    const names = variablesIn(value);
    if (names.length === 0) return value;
    const isDynamic = variables.isDynamic(element, value);
    const put = variables.resolved(element, value);
    const makesSense = put === undefined ? 'no' : isPossible(property, put);
    // Whatever is in the element's own attribute stays in it, with its variables.
    if (makesSense === 'maybe' || (rule === undefined && (isDynamic || makesSense === 'no'))) {
      for (const name of names) variables.needed.add(name);
      return value;
    }
    if (isDynamic && rule !== undefined) {
      for (const name of names) variables.needed.add(name);
      // What a condition may change stays in the sheet beside the value that holds without it.
      const name = copyName(rule, declaration);
      if (!this.#copied.has(name)) this.kept.push(keptOf(rule, declaration, this.elementsOf(rule), true));
      this.#copied.add(name);
    }
    // What makes no sense does not fall back to what it beats (CSS Variables 1, 3.1).
    return put === undefined || makesSense === 'no' ? 'unset' : put;
  }

  /** Variables that what stays in the sheets refers to, and those that they refer to. */
  neededVariables(): ReadonlySet<string> {
    const { needed } = this.variables;
    for (const { declaration } of this.kept) for (const name of variablesIn(declaration.value)) needed.add(name);
    for (const rule of this.rules)
      if (rule.isConditional) for (const { value } of rule.declarations) for (const name of variablesIn(value)) needed.add(name);
    for (let size = -1; size !== needed.size;) {
      size = needed.size;
      for (const { declarations } of this.rules)
        for (const { property, value } of declarations) if (needed.has(property)) for (const name of variablesIn(value)) needed.add(name);
    }
    return needed;
  }
}

/**
 * Writes style sheets into the style attributes of a document, as the cascade says: specificity, order, layers, `!important`, attributes
 * above sheets. Inheritance is left to the client. What cannot be written there is given back sheet by sheet, changed only where it would be
 * beaten by what is now in the elements: there it is made important, and a declaration that is stronger than such a rule too.
 */
export function inlineStyles(document: Document, sheets: readonly SheetInput[], options: InlineOptions = {}): Inlined {
  const { attributes = 'author', elsewhere = NOWHERE, isWritten = () => true } = options;
  const cascade = new Cascade(document, sheets, attributes);
  cascade.gather();
  const isElsewhere = (rule: SheetRule): boolean => {
    const elements = cascade.elementsOf(rule);
    return elements.size === 0 || standsIn(rule, elsewhere) || [...elements].some((element) => !isWritten(element));
  };
  for (const rule of cascade.rules) {
    // What is important in a sheet that stays is above all that is written into elements.
    const mayStay = !rule.isConditional && (rule.declarations.some(({ property }) => property.startsWith('--')) || isElsewhere(rule));
    for (const declaration of mayStay ? rule.declarations : [])
      if (declaration.important) cascade.kept.push(keptOf(rule, declaration, cascade.elementsOf(rule)));
  }
  const written = cascade.decide();
  settleImportance(cascade.kept, written, cascade.elementsOf);
  for (const [element, list] of written) {
    const style = styleOf(element, list, cascade.ownOf(element));
    if (style !== '' || 'style' in element.attribs) element.attribs['style'] = style;
  }
  const needed = cascade.neededVariables();
  const kept = new Map<SheetRule, Kept[]>();
  for (const each of cascade.kept) kept.set(each.rule, [...(kept.get(each.rule) ?? []), each]);

  const stays = (rule: SheetRule): readonly SheetDeclaration[] | undefined => {
    if (rule.isConditional) return undefined;
    if (isElsewhere(rule) || rule.declarations.some(({ property }) => needed.has(property))) return undefined;
    const copies = new Set((kept.get(rule) ?? []).filter(({ isCopy }) => isCopy).map(({ declaration }) => declaration));
    return rule.declarations.filter((declaration) => copies.has(declaration));
  };
  return { rests: cascade.sheets.map((sheet) => restOf(sheet, { stays, kept })) };
}

/** Whether something that cannot be seen may be what a rule is for. */
function standsIn({ selector, subject: { classes, ids, types } }: SheetRule, elsewhere: Elsewhere): boolean {
  if (elsewhere.types.size === 0 || (classes.length + ids.length + types.length === 0 && !selector.includes('*'))) return false;
  return (
    classes.every((name) => elsewhere.classes.has(name)) &&
    ids.every((name) => elsewhere.ids.has(name)) &&
    types.every((name) => elsewhere.types.has(name))
  );
}

function styleOf(element: Element, list: readonly Written[], own: readonly Applied[]): string {
  const isOwn = ({ applied }: Written): boolean => applied.rule === undefined;
  const before = element.attribs['style'] ?? '';
  const mine = list.filter(isOwn);
  const isKept =
    mine.length === own.length && mine.every(({ applied, value, important }) => applied.declaration.value === value && !important);
  // What the author wrote stays as it is, with all that only some clients understand.
  if (isKept && mine.length === list.length) return before;
  const first = list.findIndex(isOwn);
  const texts = (part: readonly Written[]): string[] =>
    part.map(({ applied: { declaration, level }, value, important }) => {
      const isImportant = important || (level === 3 && declaration.important);
      return `${declaration.property}:${value}${isImportant ? '!important' : ''}`;
    });
  if (!isKept || mine.length === 0 || !list.slice(first, first + mine.length).every(isOwn)) return texts(list).join(';');
  return [...texts(list.slice(0, first)), before.trim().replace(/;$/, ''), ...texts(list.slice(first + mine.length))].join(';');
}
