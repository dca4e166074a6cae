import { describe as group, expect, test } from '@jest/globals';
import { isTag, type AnyNode, type Document } from 'domhandler';
import fc from 'fast-check';
import { parse } from 'parse5';
import { adapter } from 'parse5-htmlparser2-tree-adapter';
import { compareSpecificity, inlineStyles, readDeclarations, readSheet, specificity } from './index.js';

/** The style attribute of the element with the id "x" after inlining, and what is left for a style sheet. */
function inlined(html: string, sheets: readonly string[], attributes?: 'author' | 'default'): { style: string | undefined; rest: string } {
  const document: Document = parse(html, { treeAdapter: adapter });
  const { rest } = inlineStyles(document, sheets, attributes);
  const all = (nodes: readonly AnyNode[]): AnyNode[] => nodes.flatMap((node) => [node, ...('children' in node ? all(node.children) : [])]);
  const element = all(document.children).find((node) => isTag(node) && node.attribs['id'] === 'x');
  return { style: element !== undefined && isTag(element) ? element.attribs['style'] : undefined, rest };
}

group('the cascade', () => {
  test.each([
    ['later wins', ['p{color:red}p{color:blue}'], 'color:blue'],
    ['the more specific wins', ['p.a{color:red}p{color:blue}'], 'color:red'],
    ['an id is above any number of classes', ['#x{color:red}.a.a.a.a{color:blue}'], 'color:red'],
    ['important is above all', ['p{color:red!important}#x{color:blue}'], 'color:red'],
    ['of two important ones the more specific', ['#x{color:red!important}p{color:blue!important}'], 'color:red'],
    ['a later sheet is above an earlier', ['p{color:red}', 'p{color:blue}'], 'color:blue'],
    ['each property for itself', ['p{color:red;margin:0}p{color:blue}'], 'margin:0;color:blue'],
    ['a list of selectors: each for itself', ['.b,#x,p{color:red}.a{color:blue}'], 'color:red'],
    ['a shorthand before its longhand', ['p{margin:1px}p{margin-top:2px}'], 'margin:1px;margin-top:2px'],
    ['a longhand before its shorthand: the order stays', ['p{margin-top:2px}p{margin:1px}'], 'margin-top:2px;margin:1px'],
    ['children and siblings', ['div > p.a{color:red} div p + p{color:blue}'], 'color:red'],
    ['structure', ['p:first-child{color:red} p:nth-child(2){color:blue}'], 'color:red'],
    ['not', ['p:not(.b){color:red}'], 'color:red'],
    ['where weighs nothing', [':where(#x){color:red}p{color:blue}'], 'color:blue'],
    ['is weighs as its heaviest', [':is(#y,p){color:red}p.a{color:blue}'], 'color:red'],
    ['what is malformed is passed over', ['p{color:red;;:;x}p{{}color:green}p.a{color:blue'], 'color:blue'],
    ['custom properties stay as they are', ['p{--Gap: 2px;color:var(--Gap)}'], '--Gap:2px;color:var(--Gap)'],
    ['case of names', ['P.a{COLOR:Red}'], 'color:Red'],
    ['attribute selectors', ['p[class~="a"]{color:red}'], 'color:red'],
  ])('%s', (_name, sheets, wanted) => {
    expect(inlined('<div><p class="a" id="x">t</p><p>u</p></div>', sheets).style).toBe(wanted);
  });

  test.each([
    ['p{color:red}', 'author', 'color:blue'],
    ['p{color:red!important}', 'author', 'color:red'],
    ['p{color:red}', 'default', 'color:red'],
  ] as const)('%s beside a style attribute of the %s: %s', (sheet, attributes, wanted) => {
    expect(inlined('<p id="x" style="color:blue">t</p>', [sheet], attributes).style).toBe(wanted);
  });

  test('an important attribute is above an important sheet', () => {
    expect(inlined('<p id="x" style="color:blue!important">t</p>', ['p{color:red!important}']).style).toBe('color:blue');
  });
});

group('what stays in a style sheet', () => {
  test.each([
    ['p:hover{color:red}', 'p:hover{color:red!important}'],
    ['p::first-line{color:red}', 'p::first-line{color:red!important}'],
    ['@media (max-width:480px){p{color:red}}', '@media (max-width:480px){\np{color:red!important}\n}'],
    ['@font-face{font-family:A;src:url(a.woff2)}', '@font-face{font-family:A;src:url(a.woff2)}'],
    ['@import "other.css";p:hover{color:red}', 'p:hover{color:red!important}'],
    ['@media print{@supports (color:red){p{color:red}}}', '@media print{@supports (color:red){\np{color:red!important}\n}}'],
  ])('%s', (sheet, rest) => {
    expect(inlined('<p id="x">t</p>', [sheet])).toEqual({ style: undefined, rest });
  });

  test('a declaration that is stronger than a kept rule stays stronger', () => {
    const { style, rest } = inlined('<p id="x" class="a">t</p>', ['@media (max-width:1px){p{color:red}} #x{color:blue}']);
    expect(rest).toContain('p{color:red!important}');
    expect(style).toBe('color:blue!important');
    // Also where one is a shorthand of the other.
    expect(inlined('<p id="x">t</p>', ['p:hover{border:1px solid} #x{border-top-color:red}']).style).toBe('border-top-color:red!important');
    // And not where it is weaker.
    expect(inlined('<p id="x">t</p>', ['p{color:blue} #x:hover{color:red}']).style).toBe('color:blue');
  });
});

group('specificity', () => {
  const of = (selector: string) => readSheet(`${selector}{a:b}`, 0).rules[0]?.specificity;
  test.each([
    ['*', [0, 0, 0]],
    ['p', [0, 0, 1]],
    ['p.a', [0, 1, 1]],
    ['#x.a[b]:hover p::before', [1, 3, 2]],
    [':not(#x)', [1, 0, 0]],
    [':where(#x) p', [0, 0, 1]],
    [':is(.a, #x)', [1, 0, 0]],
  ])('%s', (selector, wanted) => {
    expect(of(selector)).toEqual(wanted);
  });
  test('is compared place by place', () => {
    expect(compareSpecificity([0, 10, 0], [1, 0, 0])).toBeLessThan(0);
    expect(compareSpecificity([0, 1, 2], [0, 1, 1])).toBeGreaterThan(0);
    expect(compareSpecificity([1, 1, 1], [1, 1, 1])).toBe(0);
    expect(typeof specificity).toBe('function');
  });
});

test('declarations of an attribute', () => {
  expect(readDeclarations('color: red ; margin:0!important; bad; :x; background:url(data:image/png;base64,AA==)')).toEqual([
    { property: 'color', value: 'red', important: false },
    { property: 'margin', value: '0', important: true },
    { property: 'background', value: 'url(data:image/png;base64,AA==)', important: false },
  ]);
});

test('no style sheet, however broken, throws or takes long', () => {
  const piece = fc.constantFrom(
    'p',
    '{',
    '}',
    ';',
    ':',
    'color',
    'red',
    '@media',
    '(',
    ')',
    '"',
    "'",
    '\\',
    '/*',
    '*/',
    '!important',
    ',',
    '>',
    '#x',
    '\n',
  );
  fc.assert(
    fc.property(fc.array(piece, { maxLength: 40 }), (list) => {
      let took = Number.POSITIVE_INFINITY;
      // The machine may stop for a moment; a sheet that is really slow is slow again.
      for (let turn = 0; turn < 4 && took > 200; turn += 1) {
        const from = process.cpuUsage();
        inlined('<p id="x">t</p>', [list.join('')]);
        const { user, system } = process.cpuUsage(from);
        took = Math.min(took, (user + system) / 1000);
      }
      expect(took).toBeLessThan(200);
    }),
    { numRuns: 1500 },
  );
});
