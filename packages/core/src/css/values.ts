import { lexer, tokenize, tokenTypes } from 'css-tree/dist/csstree.esm';
import { memo } from '../formats/index.js';

/** What some clients do not know, so that a value that they do know must stay before it. */
const MODERN = new RegExp(
  [
    '-(?:webkit|moz|ms|o)-',
    '\\b(?:flex|inline-flex|grid|inline-grid|flow-root|contents|sticky|initial|unset|revert|revert-layer)\\b',
    '\\b(?:fit-content|min-content|max-content|anywhere|pretty|balance|stretch|transparent|currentcolor)\\b',
    '#(?:[0-9a-f]{4}|[0-9a-f]{8})\\b',
    '\\d(?:rem|vw|vh|vmin|vmax|ch|ex|lh|rlh|cap|ic|[dls]v[hwib]|[dls]vm(?:in|ax)|cq[whib]|q|fr|turn)\\b',
  ].join('|'),
  'i',
);
const PLAIN_FUNCTIONS = new Set(['rgb', 'url']);
const KNOWN_FUNCTIONS = new Set(
  (
    'rgb rgba hsl hsla hwb lab lch oklab oklch color color-mix calc min max clamp url linear-gradient radial-gradient conic-gradient ' +
    'repeating-linear-gradient repeating-radial-gradient light-dark'
  ).split(' '),
);
/** Places that data fills later. */
const MARK = /[\uFDD0\uFDD1]/;

/** Properties with a fixed set of values: one that the lexer does not know is shown by no client. */
const OLD = new RegExp(
  '^(?:color|background-color|(?:border|border-(?:top|right|bottom|left))-(?:color|style)|font-style|font-weight|text-align|text-transform|' +
    'float|clear|visibility|border-collapse)$',
);

function functionsOf(value: string): string[] {
  const out: string[] = [];
  tokenize(value, (type, from, to) => {
    if (type === tokenTypes.Function) out.push(value.slice(from, to - 1).toLowerCase());
    else if (type === tokenTypes.Url) out.push('url');
  });
  return out;
}

function matches(property: string, value: string): 'yes' | 'no' | 'unknown' {
  const { error } = lexer.matchProperty(property, value);
  if (error === null) return 'yes';
  return error.name === 'SyntaxMatchError' ? 'no' : 'unknown';
}

/** Whether a value is invalid for the property in every client. */
export const isVoid = memo((property: string, value: string): boolean => {
  if (MARK.test(value) || !OLD.test(property) || !/^[a-z]+(?: [a-z]+)*$/i.test(value)) return false;
  return matches(property, value) === 'no';
}, 5000);

/** Whether every client that knows the property knows the value, so that what it beats is not needed beside it. */
export const isSettled = memo((property: string, value: string): boolean => {
  if (MARK.test(value)) return true;
  if (MODERN.test(value) || functionsOf(value).some((name) => !PLAIN_FUNCTIONS.has(name))) return false;
  return matches(property, value) !== 'no';
}, 5000);

/** Whether a value that variables gave makes sense: "maybe" where it is more than this reader knows. */
export function isPossible(property: string, value: string): 'yes' | 'no' | 'maybe' {
  if (MARK.test(value) || matches(property, value) !== 'no') return 'yes';
  return functionsOf(value).every((name) => KNOWN_FUNCTIONS.has(name)) ? 'no' : 'maybe';
}

/** The problem with a value, where it has one that nobody meant. */
export const valueFault = memo((property: string, value: string): string | undefined => {
  if (property.startsWith('--') || property.startsWith('-') || property.startsWith('mso-') || MARK.test(value)) return undefined;
  // Hacks for single clients begin with a sign, and what is computed cannot be judged.
  if (!/^[a-z]/.test(property) || /var\(|env\(|attr\(|\\|expression\(|progid/i.test(value)) return undefined;
  return matches(property, value) === 'no' ? `"${value}" is no value that browsers know of "${property}"` : undefined;
}, 5000);

const SIDES = new Set(['top', 'right', 'bottom', 'left']);
const BORDER = /^border-(?:(?:top|right|bottom|left)(?:-(?:width|style|color))?|width|style|color)$/;
/** Shorthands whose names are not the beginning of what they set. */
const SETS: Readonly<Record<string, RegExp>> = {
  font: /^line-height$/,
  inset: /^(?:top|right|bottom|left|inset-)/,
  border: /^border-image/,
  columns: /^column-(?:width|count)$/,
};

/** Whether setting one property changes the other: itself, or a shorthand of it ("border" and "border-top-color"). */
export function overlaps(a: string, b: string): boolean {
  if (a === b || a === 'all' || b === 'all') return true;
  if (a.startsWith(`${b}-`) || b.startsWith(`${a}-`)) return true;
  if (SETS[a]?.test(b) === true || SETS[b]?.test(a) === true) return true;
  return BORDER.test(a) && BORDER.test(b) && crosses(a, b);
}

function crosses(a: string, b: string): boolean {
  const parts = (name: string): { side: string | undefined; aspect: string | undefined } => {
    const steps = name.split('-').slice(1);
    return { side: steps.find((step) => SIDES.has(step)), aspect: steps.find((step) => !SIDES.has(step)) };
  };
  const [x, y] = [parts(a), parts(b)];
  return (
    (x.side === undefined || y.side === undefined || x.side === y.side) &&
    (x.aspect === undefined || y.aspect === undefined || x.aspect === y.aspect)
  );
}
