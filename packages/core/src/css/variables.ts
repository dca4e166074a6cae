import { tokenize, tokenTypes } from 'css-tree/dist/csstree.esm';

/** How far variables may refer to each other, and how long the result may be. */
const MOST_STEPS = 16;
const MOST_LENGTH = 4096;

const REFERENCE = /var\(\s*(--[^\s,)]+)/gi;

/** Names of the variables that a value refers to. */
export function variablesIn(value: string): string[] {
  return /var\(/i.test(value) ? [...value.matchAll(REFERENCE)].map(([, name = '']) => name) : [];
}

interface Use {
  readonly from: number;
  readonly to: number;
  readonly name: string;
  readonly fallback: string | undefined;
}

/** The first `var()` of a value. */
function firstUse(value: string): Use | undefined {
  const stack: boolean[] = [];
  let use: { from: number; inner: number; comma: number | undefined } | undefined;
  let found: Use | undefined;
  tokenize(value, (type, from, to) => {
    if (found !== undefined) return;
    if (type === tokenTypes.Function || type === tokenTypes.LeftParenthesis) {
      const isVar = use === undefined && value.slice(from, to).toLowerCase() === 'var(';
      stack.push(isVar);
      if (isVar) use = { from, inner: to, comma: undefined };
    } else if (type === tokenTypes.RightParenthesis) {
      if (stack.pop() !== true || use === undefined) return;
      const name = value.slice(use.inner, use.comma ?? from).trim();
      found = { from: use.from, to, name, fallback: use.comma === undefined ? undefined : value.slice(use.comma + 1, from).trim() };
    } else if (type === tokenTypes.Comma && use !== undefined && use.comma === undefined && stack.at(-1) === true) use.comma = from;
  });
  return found;
}

/**
 * A value with its variables put in (CSS Variables 1).
 * @returns undefined where one of them is not known, or they go in a circle
 */
export function resolved(value: string, known: ReadonlyMap<string, string>, steps = MOST_STEPS): string | undefined {
  let text = value;
  for (let use = firstUse(text); use !== undefined; use = firstUse(text)) {
    if (steps === 0) return undefined;
    const { name, fallback } = use;
    const own = known.get(name);
    // A variable that refers to one that is not known is not known either.
    const inner =
      (own === undefined ? undefined : resolved(own, known, steps - 1)) ??
      (fallback === undefined ? undefined : resolved(fallback, known, steps - 1));
    if (inner === undefined || text.length + inner.length > MOST_LENGTH) return undefined;
    text = `${text.slice(0, use.from)}${inner}${text.slice(use.to)}`;
  }
  return text;
}
