import type { Kept } from './kept.js';
import { headOf, type PlacedRule, type Sheet, type SheetDeclaration, type SheetRule } from './sheet.js';
import type { CssAtRule, CssItem } from './structure.js';

/** Adds the weight of an id, and concerns the same elements. */
const HEAVIER = ':not(#\\_)';

export interface RestInput {
  /** The declarations of a rule that stay; undefined where the whole rule stays as it is. */
  readonly stays: (rule: SheetRule) => readonly SheetDeclaration[] | undefined;
  readonly kept: ReadonlyMap<SheetRule, readonly Kept[]>;
}

/** What of a sheet has to stay in a `<style>`. Whatever needs no change stays to the byte. */
export function restOf(sheet: Sheet, input: RestInput): string {
  const text = edited(sheet, { from: 0, to: sheet.text.length }, sheet.items, input);
  if (text === undefined) return sheet.text;
  // Of what went at the beginning no space is left.
  return text.trim() === '' ? '' : /^\s/.test(sheet.text) ? text : text.trimStart();
}

/** A part of a sheet with its items changed; undefined where nothing changes. */
function edited(
  sheet: Sheet,
  { from, to }: { readonly from: number; readonly to: number },
  items: readonly CssItem[],
  input: RestInput,
): string | undefined {
  let out = '';
  let last = from;
  let hasChanged = false;
  for (const item of items) {
    const text = changed(sheet, item, input);
    if (text === undefined) continue;
    hasChanged = true;
    const before = sheet.text.slice(last, item.from);
    // Nothing is left of it, nor of the space before it.
    out += text === '' ? before.trimEnd() : before + text;
    last = item.to;
  }
  return hasChanged ? out + sheet.text.slice(last, to) : undefined;
}

function changed(sheet: Sheet, item: CssItem, input: RestInput): string | undefined {
  if (item.kind === 'rule') {
    const placed = sheet.placed.get(item);
    return placed === undefined ? undefined : changedRule(placed, input);
  }
  return item.kind === 'at' ? changedAt(sheet, item, input) : undefined;
}

function changedAt(sheet: Sheet, item: CssAtRule, input: RestInput): string | undefined {
  // Hardly a client knows layers: what holds in them is written without.
  if (item.name === 'layer' && item.inner === undefined) return '';
  if (item.body === undefined || item.inner === undefined) return undefined;
  const inner = edited(sheet, item.inner, item.body, input);
  if (item.name === 'layer') return (inner ?? sheet.text.slice(item.inner.from, item.inner.to)).trim();
  if (inner === undefined) return undefined;
  return inner.trim() === '' ? '' : `${headOf(item)}{${inner}}`;
}

interface Outcome {
  readonly rule: SheetRule;
  readonly selector: string;
  readonly body: string;
  readonly isSame: boolean;
}

function changedRule({ rules, isNest, depth }: PlacedRule, { stays, kept }: RestInput): string | undefined {
  if (rules.length === 0) return undefined;
  const outcomes = rules.flatMap((rule): Outcome[] => {
    const own = kept.get(rule) ?? [];
    const left = stays(rule);
    const all = left ?? rule.declarations;
    const changes = new Map(own.map((each) => [each.declaration, each]));
    const isSame =
      left === undefined && own.every(({ important, raise, declaration }) => important === declaration.important && raise === 0);
    if (isSame) return [{ rule, selector: rule.selector, body: bodyOf(all, changes), isSame }];
    const raises = [...new Set(all.map((declaration) => changes.get(declaration)?.raise ?? 0))].sort((a, b) => a - b);
    return raises.map((raise) => ({
      rule,
      selector: raised(rule.selector, raise),
      body: bodyOf(
        all.filter((declaration) => (changes.get(declaration)?.raise ?? 0) === raise),
        changes,
      ),
      isSame,
    }));
  });
  if (!isNest && outcomes.length === rules.length && outcomes.every(({ isSame }) => isSame)) return undefined;
  const out: { head: string; selectors: string[]; body: string }[] = [];
  for (const { rule, selector, body } of outcomes) {
    const head = rule.around.slice(depth).join('{');
    const last = out.at(-1);
    if (last?.body === body && last.head === head) last.selectors.push(selector);
    else out.push({ head, selectors: [selector], body });
  }
  return out
    .map(({ head, selectors, body }) => {
      const rule = `${selectors.join(',')}{${body}}`;
      return head === '' ? rule : `${head}{${rule}${'}'.repeat(head.split('{').length)}`;
    })
    .join('\n');
}

function raised(selector: string, raise: number): string {
  if (raise === 0) return selector;
  // Before a pseudo-element, which ends a selector.
  const at = selector.search(/::|:(?:before|after|first-line|first-letter)\b/);
  const heavier = HEAVIER.repeat(raise);
  return at === -1 ? selector + heavier : selector.slice(0, at) + heavier + selector.slice(at);
}

function bodyOf(declarations: readonly SheetDeclaration[], changes: ReadonlyMap<SheetDeclaration, Kept>): string {
  return declarations
    .map((declaration) => {
      const important = changes.get(declaration)?.important ?? declaration.important;
      return `${declaration.property}:${declaration.value}${important ? '!important' : ''}`;
    })
    .join(';');
}
