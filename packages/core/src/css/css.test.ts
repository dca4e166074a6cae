import { describe as group, expect, test } from '@jest/globals';
import { isTag, type AnyNode, type Document } from 'domhandler';
import fc from 'fast-check';
import { parse } from 'parse5';
import { adapter } from 'parse5-htmlparser2-tree-adapter';
import { costsAtMost } from '../../../../tests/support/cpu.js';
import { compareSpecificity, inlineStyles, readDeclarations, specificity } from './index.js';
import { Layers } from './layers.js';
import { readSheet } from './sheet.js';

/** The style attribute of the element with the id "x" after inlining, and what is left for a style sheet. */
function inlined(html: string, sheets: readonly string[], attributes?: 'author' | 'default'): { style: string | undefined; rest: string } {
  const document: Document = parse(html, { treeAdapter: adapter });
  const { rests } = inlineStyles(
    document,
    sheets.map((text) => ({ text })),
    attributes === undefined ? {} : { attributes },
  );
  const all = (nodes: readonly AnyNode[]): AnyNode[] => nodes.flatMap((node) => [node, ...('children' in node ? all(node.children) : [])]);
  const element = all(document.children).find((node) => isTag(node) && node.attribs['id'] === 'x');
  return {
    style: element !== undefined && isTag(element) ? element.attribs['style'] : undefined,
    rest: rests.filter((text) => text !== '').join('\n'),
  };
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
    ['a variable is put in', ['p{--Gap: 2px;margin:var(--Gap)}'], 'margin:2px'],
    ['a variable is inherited, and case counts', ['div{--a:red;--A:blue}p{color:var(--a)}'], 'color:red'],
    ['variables within each other', ['div{--b:2px;--a:calc(var(--b)*2)}p{margin:var(--a)}'], 'margin:calc(2px*2)'],
    ['what stands in for a variable', ['p{margin:var(--no, 1px var(--no2, 3px))}'], 'margin:1px 3px'],
    ['a variable that is not known', ['p{color:red}p{color:var(--no)}'], 'color:red;color:unset'],
    ['variables in a circle', ['p{--a:var(--b);--b:var(--a);color:var(--a)}'], 'color:unset'],
    ['a value that is none', ['p{color:red;color:notacolor}'], 'color:red'],
    [
      'what not every client knows comes after what it beats',
      ['p{background:#333;background:linear-gradient(red,blue)}'],
      'background:#333;background:linear-gradient(red,blue)',
    ],
    ['and is left out where everybody knows what beats it', ['p{color:oklch(50% 0.1 20);color:red}'], 'color:red'],
    [
      'a fallback keeps its place',
      ['p{background:#333;background-color:red;background:linear-gradient(red,blue)}'],
      'background:#333;background-color:red;background:linear-gradient(red,blue)',
    ],
    ['a list with a selector that is none is void', ['p:::x,p{color:red}p,a:wrong{color:blue}'], undefined],
    ['a nested rule', ['div{& p{color:red}}'], 'color:red'],
    ['a nested rule without a sign', ['div{.a{color:red}}'], 'color:red'],
    ['a nested child', ['div{> p{color:red} color:blue}'], 'color:red'],
    ['what stands after a nested rule is later', ['p{&{color:red} color:blue}'], 'color:blue'],
    ['the parent at the end', ['.a{div &{color:red}}'], 'color:red'],
    ['a nested rule weighs as the heaviest of its parents', ['#no,div{.a{color:red}}div p.a{color:blue}'], 'color:red'],
    ['what is in a layer is weaker', ['p{color:red}@layer x{#x{color:blue}}'], 'color:red'],
    ['the later layer wins', ['@layer x,y;@layer y{p{color:red}}@layer x{#x{color:blue}}'], 'color:red'],
    ['but not where both are important', ['@layer x{p{color:red!important}}@layer y{#x{color:blue!important}}'], 'color:red'],
    ['a layer within a layer is weaker', ['@layer x{p{color:red}@layer y{#x{color:blue}}}'], 'color:red'],
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
    expect(inlined('<p id="x" style="color:blue!important">t</p>', ['p{color:red!important}']).style).toBe('color:blue!important');
  });
});

group('what stays in a style sheet', () => {
  test.each([
    ['a state', 'p:hover { color:red }'],
    ['a pseudo-element', 'p::first-line {color:red}'],
    ['a condition', '@media (max-width:480px)\n{ p{color:red} }'],
    ['a font', '@font-face{font-family:A;src:url(a.woff2)}'],
    ['an import', '@import "other.css";p:hover{color:red}'],
    ['conditions within each other', '@media print{@supports (color:red){p{color:red}}}'],
    [
      'what clients add',
      'a[x-apple-data-detectors], .ExternalClass, u + #body a, #MessageViewBody a, #outlook a{ color:inherit !important; }',
    ],
    ['what only some know', '@-ms-viewport{width:device-width} p::-moz-selection{color:red} p:-ms-odd, b{color:red}'],
    ['what cannot be read', 'p{ /* a comment */ } <!-- --> @nothing x { a { b:c } } } q{color:red}'],
  ])('to the byte: %s', (_name, sheet) => {
    expect(inlined('<p id="x">t</p>', [sheet])).toEqual({ style: undefined, rest: sheet });
  });

  test.each([
    ['what was written into elements goes', 'p{color:red}\n\nq{color:blue}', 'q{color:blue}'],
    ['of a list what concerns nobody stays', 'p, .ExternalClass{color:red}', '.ExternalClass{color:red}'],
    ['a condition of which nothing is left goes', '@layer a{p{color:red}}', ''],
    ['layers are written out', '@layer a{p:hover{margin:0}}', 'p:hover{margin:0}'],
    ['nesting is written out', 'p{color:red;&:hover{margin:0}@media print{margin:1px}}', 'p:hover{margin:0}\n@media print{p{margin:1px}}'],
    [
      'what would be beaten is important',
      'p{color:red}@media print{p{color:blue;margin:0}}',
      '@media print{p{color:blue!important;margin:0}}',
    ],
    [
      'so is what beat it, and its weight is kept',
      '#x{color:red}@media print{p{color:blue!important}#x{color:green}}',
      '@media print{p:not(#\\_){color:blue!important}#x{color:green!important}}',
    ],
    [
      'a variable that a condition changes stays, and what refers to it',
      ':root{--a:red}p{color:var(--a)}@media print{:root{--a:blue}}',
      ':root{--a:red}p{color:var(--a)!important}@media print{:root{--a:blue}}',
    ],
  ])('%s', (_name, sheet, rest) => {
    expect(inlined('<p id="x">t</p>', [sheet]).rest.trim()).toBe(rest);
  });

  test('a declaration that is stronger than a kept rule stays stronger', () => {
    const { style, rest } = inlined('<p id="x" class="a">t</p>', ['@media (max-width:1px){p{color:red}} #x{color:blue}']);
    expect(rest).toContain('p{color:red}');
    expect(style).toBe('color:blue');
    // Also where one is a shorthand of the other.
    expect(inlined('<p id="x">t</p>', ['p:hover{border:1px solid!important} #x{border-top-color:red!important}']).style).toBe(
      'border-top-color:red!important',
    );
    // And not where it is weaker.
    expect(inlined('<p id="x">t</p>', ['p{color:blue} #x:hover{color:red}']).style).toBe('color:blue');
  });
});

group('specificity', () => {
  const of = (selector: string) => readSheet({ text: `${selector}{a:b}` }, new Layers(), 0).rules[0]?.specificity;
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

test.each([
  ['nesting that doubles with every level', `${'a,b{'.repeat(60)}c:d${'}'.repeat(60)}`],
  ['a sign that doubles with every level', `p${'{& &'.repeat(60)}{c:d${'}'.repeat(60)}}`],
  [
    'variables that double with every level',
    `p{${Array.from({ length: 60 }, (_, i) => `--a${i}:var(--a${i + 1}) var(--a${i + 1});`).join('')}--a60:x;margin:var(--a0)}`,
  ],
  [
    'many conditions against many declarations',
    `@media print{${'p{color:red;color:blue!important}'.repeat(3000)}}${'p{color:red}'.repeat(3000)}`,
  ],
  ['layers within layers', '@layer a{'.repeat(60)],
])('what grows is bounded: %s', (_name, sheet) => {
  expect(costsAtMost(4000, () => inlined('<p id="x">t</p>', [sheet]))).toBe(true);
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
      expect(costsAtMost(200, () => inlined('<p id="x">t</p>', [list.join('')]))).toBe(true);
    }),
    { numRuns: 1500 },
  );
});
