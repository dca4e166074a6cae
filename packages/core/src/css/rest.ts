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

/** One declaration for some of the selectors of a rule. */
interface Line {
  readonly head: string;
  readonly selectors: readonly string[];
  readonly text: string;
}

function changedRule({ rules, isNest, depth }: PlacedRule, { stays, kept }: RestInput): string | undefined {
  if (rules.length === 0) return undefined;
  let isSame = !isNest;
  // Selectors of one run have the same declarations; each goes its own way, in the order of the declarations.
  const runs = new Map<number, SheetRule[]>();
  for (const rule of rules) runs.set(rule.order, [...(runs.get(rule.order) ?? []), rule]);
  const lines = [...runs.values()].flatMap((run): Line[] =>
    (run[0]?.declarations ?? []).flatMap((declaration): Line[] => {
      const byText = new Map<string, string[]>();
      for (const rule of run) {
        const left = stays(rule);
        const own = kept.get(rule)?.find((each) => each.declaration === declaration);
        const { important, raise } = own ?? { important: declaration.important, raise: 0 };
        if (left !== undefined || important !== declaration.important || raise > 0) isSame = false;
        if (left !== undefined && !left.includes(declaration)) continue;
        const text = `${declaration.property}:${declaration.value}${important ? '!important' : ''}`;
        byText.set(text, [...(byText.get(text) ?? []), raised(rule.selector, raise)]);
      }
      const head = (run[0]?.around ?? []).slice(depth).join('{');
      return [...byText].map(([text, selectors]) => ({ head, selectors, text }));
    }),
  );
  return isSame ? undefined : textOf(lines);
}

function textOf(lines: readonly Line[]): string {
  const out: { head: string; selector: string; texts: string[] }[] = [];
  for (const { head, selectors, text } of lines) {
    const selector = [...new Set(selectors)].join(',');
    const last = out.at(-1);
    if (last?.selector === selector && last.head === head) last.texts.push(text);
    else out.push({ head, selector, texts: [text] });
  }
  return out
    .map(({ head, selector, texts }) => {
      const rule = `${selector}{${texts.join(';')}}`;
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
