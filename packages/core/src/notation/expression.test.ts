import { describe as group, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { SourceText, type Problem } from '../problems/index.js';
import { MAX_EXPRESSION_DEPTH, parseExpression, type Expression } from './index.js';
import { scaled } from '../../../../tests/support/scale.js';

function read(text: string): { tree: Expression | undefined; problems: Problem[] } {
  const problems: Problem[] = [];
  return { tree: parseExpression(new SourceText('message.md', text), 0, text.length, problems), problems };
}

/** A tree with all its parentheses. */
function shown(expression: Expression): string {
  switch (expression.kind) {
    case 'literal':
      return JSON.stringify(expression.value);
    case 'name':
      return expression.name;
    case 'member':
      return `${shown(expression.of)}.${expression.name}`;
    case 'index':
      return `${shown(expression.of)}[${shown(expression.at)}]`;
    case 'unary':
      return `(${expression.operator} ${shown(expression.operand)})`;
    case 'binary':
      return `(${shown(expression.left)} ${expression.operator} ${shown(expression.right)})`;
    case 'choice':
      return `(${shown(expression.test)} ? ${shown(expression.yes)} : ${shown(expression.no)})`;
    case 'format':
      return `(${[shown(expression.value), expression.name, ...expression.args.map(shown)].join(' | ').replace(' | ', ' | ')})`;
    case 'say':
      return `say ${expression.key}`;
  }
}

group('what binds closer', () => {
  test.each([
    ['1 + 2 * 3', '(1 + (2 * 3))'],
    ['(1 + 2) * 3', '((1 + 2) * 3)'],
    ['1 - 2 - 3', '((1 - 2) - 3)'],
    ['8 / 4 / 2', '((8 / 4) / 2)'],
    ['-a * b', '((- a) * b)'],
    ['a + b < c * d', '((a + b) < (c * d))'],
    ['a < b == c > d', '((a < b) == (c > d))'],
    ['a == 1 and b != 2 or c', '(((a == 1) and (b != 2)) or c)'],
    ['not a and b', '((not a) and b)'],
    ['a or b ?? c', '((a or b) ?? c)'],
    ['a % 2 == 0', '((a % 2) == 0)'],
    ['a ? b : c', '(a ? b : c)'],
    ['a and b ? c + 1 : d', '((a and b) ? (c + 1) : d)'],
    ['a ? b : c ? d : e', '(a ? b : (c ? d : e))'],
    ['booking.fares[0].amount', 'booking.fares[0].amount'],
    ['a[b + 1].c', 'a[(b + 1)].c'],
    ['x | upper', '(x | upper)'],
    ['x | date "short"', '(x | date | "short")'],
    ['x | date "short" | upper', '((x | date | "short") | upper)'],
    ['a + b | money "EUR"', '((a + b) | money | "EUR")'],
    ['-1.5', '(- 1.5)'],
    ['"a \\"quoted\\" text"', '"a \\"quoted\\" text"'],
    ['true', 'true'],
    ['null', 'null'],
    ['  a  ', 'a'],
    ['naïve.größe', 'naïve.größe'],
  ])('%s', (text, wanted) => {
    const { tree, problems } = read(text);
    expect(problems).toEqual([]);
    expect(tree === undefined ? '' : shown(tree)).toBe(wanted);
  });
});

group('what is wrong has a place', () => {
  test.each([
    ['', 0],
    ['a +', 3],
    ['(a', 2],
    ['a b', 2],
    ['a.', 2],
    ['a[1', 3],
    ['"open', 0],
    ['a ? b', 5],
    ['a | ', 4],
    ['1 +* 2', 3],
    ['a $ b', 2],
    ['a = b', 2],
    ['a && b', 2],
    ['a || b', 2],
    ['!a', 0],
  ])('%j at %i', (text, offset) => {
    const { tree, problems } = read(text);
    expect(tree).toBeUndefined();
    expect(problems).toHaveLength(1);
    const at = problems[0]?.place.offset ?? -1;
    expect(Math.abs(at - offset)).toBeLessThanOrEqual(1);
    expect(problems[0]?.message).toMatch(/\.$/);
  });
});

test('every node stands where its text stands', () => {
  const text = 'booking.total + 10 | money currency';
  const { tree } = read(text);
  const places: [string, string][] = [];
  const visit = (node: unknown): void => {
    if (typeof node !== 'object' || node === null) return;
    if ('place' in node && 'kind' in node) {
      const { offset, length } = (node as Expression).place;
      places.push([(node as Expression).kind, text.slice(offset, offset + length)]);
    }
    for (const [key, inner] of Object.entries(node)) if (key !== 'place' && key !== 'namePlace') visit(inner);
  };
  visit(tree);
  expect(places.map(([kind]) => kind).sort()).toEqual(['binary', 'format', 'literal', 'member', 'name', 'name']);
  for (const [kind, piece] of places) if (kind === 'literal') expect(piece).toBe('10');
});

test('nesting is bounded, and bounded is told', () => {
  const deep = (n: number) => `${'('.repeat(n)}a${')'.repeat(n)}`;
  expect(read(deep(MAX_EXPRESSION_DEPTH - 4)).problems).toEqual([]);
  expect(read(deep(MAX_EXPRESSION_DEPTH * 3)).problems).toHaveLength(1);
  expect(read(deep(100_000)).problems).toHaveLength(1);
});

test('anything is read without a throw, and a problem lies within the text', () => {
  const piece = fc.constantFrom(
    'a',
    '.',
    '[',
    ']',
    '(',
    ')',
    '1',
    '"',
    '|',
    '?',
    ':',
    '+',
    '-',
    'not ',
    ' and ',
    '??',
    '==',
    '<',
    ' ',
    '\n',
    'é',
    '\\',
    ',',
  );
  fc.assert(
    fc.property(fc.array(piece, { maxLength: 25 }), (list) => {
      const text = list.join('');
      const { tree, problems } = read(text);
      expect((tree === undefined) === problems.length > 0).toBe(true);
      for (const problem of problems) {
        expect(problem.place.offset).toBeGreaterThanOrEqual(0);
        expect(problem.place.offset).toBeLessThanOrEqual(text.length);
      }
    }),
    { numRuns: scaled(700, 3000) },
  );
});

test('a tree that is written out with all its parentheses reads as the same', () => {
  const leaf = fc.constantFrom('a', 'b.c', '1', '"t"', 'true');
  const { tree } = fc.letrec<{ tree: string }>((tie) => ({
    tree: fc.oneof(
      { maxDepth: 5, depthSize: 'small' },
      leaf,
      fc
        .tuple(tie('tree'), fc.constantFrom('+', '-', '*', '==', '<', 'and', 'or', '??'), tie('tree'))
        .map(([x, sign, y]) => `(${x} ${sign} ${y})`),
      tie('tree').map((x) => `(not ${x})`),
    ),
  }));
  fc.assert(
    fc.property(tree, (text) => {
      const { tree: found, problems } = read(text);
      expect(problems).toEqual([]);
      expect(found === undefined ? '' : shown(found)).toBe(text);
    }),
  );
});
