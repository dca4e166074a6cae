import { instantOf } from './instants.js';
import { fieldAt, isAbsent } from './fields.js';
import type { Format, FormatContext } from './format.js';
import { isDate, isDateTime } from './kinds.js';
import { memo } from './memo.js';

const collator = memo((locale: string) => new Intl.Collator(locale, { numeric: true }));

/** Numbers, texts in the order of the locale, dates by when they are; absent values come last. */
function order(a: unknown, b: unknown, { locale }: FormatContext): number {
  if (isAbsent(a) || isAbsent(b)) return Number(isAbsent(a)) - Number(isAbsent(b));
  if (typeof a === 'number' && typeof b === 'number') return a - b;
  if (typeof a !== 'string' || typeof b !== 'string') return Number(a) - Number(b);
  const areMoments = isMoment(a) && isMoment(b);
  return areMoments ? instantOf(a) - instantOf(b) : collator(locale).compare(a, b);
}

function isMoment(text: string): boolean {
  return isDate(text) || isDateTime(text);
}

/** Signs of `where`. */
const TESTS = ['=', '!=', '<', '<=', '>', '>='] as const;

const PASSES: Readonly<Record<string, (order: number) => boolean>> = {
  '<': (way) => way < 0,
  '<=': (way) => way <= 0,
  '>': (way) => way > 0,
  '>=': (way) => way >= 0,
};

function passes(value: unknown, sign: string | undefined, wanted: unknown, context: FormatContext): boolean {
  if (sign === undefined) return Array.isArray(value) ? value.length > 0 : Boolean(value);
  if (sign === '=' || sign === '!=') return ((value ?? null) === (wanted ?? null)) === (sign === '=');
  return !isAbsent(value) && !isAbsent(wanted) && (PASSES[sign]?.(order(value, wanted, context)) ?? false);
}

/** Entries by the value of a field, in the order in which each value comes first. */
function grouped(entries: readonly unknown[], path: string): { key: unknown; entries: unknown[] }[] {
  const groups = new Map<unknown, { key: unknown; entries: unknown[] }>();
  for (const entry of entries) {
    const key = fieldAt(entry, path) ?? null;
    const group = groups.get(key);
    if (group === undefined) groups.set(key, { key, entries: [entry] });
    else group.entries.push(entry);
  }
  return [...groups.values()];
}

function sum(entries: readonly unknown[], [path = '', same]: readonly (string | undefined)[]): number | undefined {
  if (same !== undefined && new Set(entries.map((entry) => fieldAt(entry, same) ?? null)).size > 1) return undefined;
  const total = entries.reduce<number>((so, entry) => so + Number(fieldAt(entry, path) ?? 0), 0);
  return Number.isFinite(total) ? total : Math.sign(total) * Number.MAX_VALUE;
}

const field = { name: 'field', kind: 'field' } as const;
const maybeField = { ...field, optional: true } as const;
const COUNT = { name: 'n', kind: 'whole', range: [0, 100_000] } as const;
const LINES = [
  { label: 'Bicycle', cents: 650 },
  { label: 'Adult', cents: 4800 },
] as const;

/** What makes lists of lists. The types of what they give follow from the list: see typing/list-use. */
export const LIST_FORMATS: readonly Format[] = [
  {
    name: 'sort',
    takes: ['list'],
    args: [maybeField, { name: 'order', kind: 'text', optional: true, choices: ['ascending', 'descending'] }],
    gives: 'list',
    summary: 'The list in the order of a field: numbers, texts as the locale sorts them, dates. Entries without the field come last.',
    example: { value: LINES, args: ['label'], gives: '[{"label":"Adult","cents":4800},{"label":"Bicycle","cents":650}]' },
    run: (value: unknown[], [path = '', way = 'ascending']: readonly string[], context) => {
      const sign = way === 'descending' ? -1 : 1;
      return value
        .map((entry) => ({ entry, by: fieldAt(entry, path) }))
        .sort((a, b) => (isAbsent(a.by) || isAbsent(b.by) ? order(a.by, b.by, context) : sign * order(a.by, b.by, context)))
        .map(({ entry }) => entry);
    },
  },
  {
    name: 'where',
    takes: ['list'],
    args: [field, { name: 'sign', kind: 'text', optional: true, choices: TESTS }, { name: 'value', kind: 'any', optional: true }],
    gives: 'list',
    summary: 'The entries whose field is true, or meets a test: where "kind" = "adult", where "cents" > 1000.',
    example: { value: LINES, args: ['cents', '>', 1000], gives: '[{"label":"Adult","cents":4800}]' },
    run: (value: unknown[], [path = '', sign, wanted]: readonly [string?, string?, unknown?], context) =>
      value.filter((entry) => passes(fieldAt(entry, path), sign, wanted, context)),
  },
  {
    name: 'pick',
    takes: ['list'],
    args: [field],
    gives: 'list',
    summary: 'One field of each entry, as a list.',
    example: { value: LINES, args: ['label'], gives: '["Bicycle","Adult"]' },
    run: (value: unknown[], [path = '']: readonly string[]) => value.map((entry) => fieldAt(entry, path)),
  },
  {
    name: 'first',
    takes: ['list'],
    args: [COUNT],
    gives: 'list',
    summary: 'The first n entries.',
    example: { value: ['a', 'b', 'c'], args: [2], gives: '["a","b"]' },
    run: (value: unknown[], [n = 1]: readonly number[]) => value.slice(0, Math.max(0, n)),
  },
  {
    name: 'last',
    takes: ['list'],
    args: [COUNT],
    gives: 'list',
    summary: 'The last n entries.',
    example: { value: ['a', 'b', 'c'], args: [2], gives: '["b","c"]' },
    run: (value: unknown[], [n = 1]: readonly number[]) => (n <= 0 ? [] : value.slice(-n)),
  },
  {
    name: 'slice',
    takes: ['list'],
    args: [
      { name: 'from', kind: 'whole', range: [0, 100_000] },
      { ...COUNT, optional: true },
    ],
    gives: 'list',
    summary: 'n entries (all, without n) from an index on; the first entry has the index 0.',
    example: { value: ['a', 'b', 'c', 'd'], args: [1, 2], gives: '["b","c"]' },
    run: (value: unknown[], [from = 0, n]: readonly (number | undefined)[]) =>
      value.slice(Math.max(0, from), n === undefined ? undefined : Math.max(0, from) + Math.max(0, n)),
  },
  {
    name: 'reverse',
    takes: ['list'],
    args: [],
    gives: 'list',
    summary: 'The list from its end.',
    example: { value: ['a', 'b', 'c'], gives: '["c","b","a"]' },
    run: (value: unknown[]) => [...value].reverse(),
  },
  {
    name: 'unique',
    takes: ['list'],
    args: [maybeField],
    gives: 'list',
    summary: 'The first entry of each value (of a field).',
    example: { value: ['a', 'b', 'a'], gives: '["a","b"]' },
    run: (value: unknown[], [path = '']: readonly string[]) => grouped(value, path).map((group) => group.entries[0]),
  },
  {
    name: 'group',
    takes: ['list'],
    args: [field],
    gives: 'list',
    summary: 'Groups of entries with the same value of a field, each with its `key` and its `entries`.',
    example: {
      value: LINES,
      args: ['label'],
      gives: '[{"key":"Bicycle","entries":[{"label":"Bicycle","cents":650}]},{"key":"Adult","entries":[{"label":"Adult","cents":4800}]}]',
    },
    run: (value: unknown[], [path = '']: readonly string[]) => grouped(value, path),
  },
  {
    name: 'sum',
    takes: ['list'],
    args: [maybeField, { name: 'same', kind: 'field', optional: true }],
    gives: 'number',
    summary:
      'The sum of numbers, or of a field of each entry; 0 for an empty list. With same="currency" it is absent unless all entries have the same currency.',
    example: { value: LINES, args: ['cents'], gives: '5450' },
    run: sum,
  },
];
