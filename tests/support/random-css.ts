/** A source of chance that gives the same again for the same seed (mulberry32). */
export function chance(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

/** Holds in a window that is narrower than this, in CSS pixels. */
export const NARROW = 500;

const SELECTORS = (
  'p|li|a|b|div|td|.box|.lead|.first|.on|#a|#b|div p|div > p|ul li|li + li|.box .lead|#a .lead|p:first-child|li:nth-child(2)|' +
  'li:not(.on)|:is(p,li)|:where(#a) p|[data-k]|a[href^="https"]|*|#a p.lead|ul > .on|table td:last-child|body .box|a:link|p:has(a)'
).split('|');
const ADDED =
  'a[x-apple-data-detectors]|.ExternalClass|u + #body a|#MessageViewBody a|.no p|p:hover|a:visited|p::first-line|li::before'.split('|');
const COLORS = ['red', 'blue', '#123', '#00ff7f', 'rgb(10, 20, 30)', 'oklch(60% 0.1 120)', 'notacolor', 'var(--one)', 'var(--two, green)'];
const SIZES = ['0', '3px', '7px', '1em', '10%', 'calc(2px + 3px)', 'var(--gap)', '12', 'var(--gap, 9px)'];
const VALUES: readonly (readonly [property: string, values: readonly string[]])[] = [
  ['color', COLORS],
  ['background-color', COLORS],
  ['background', ['#333', 'linear-gradient(red, blue)', 'none', 'yellow', 'image-of(x)']],
  ['margin', SIZES],
  ['margin-left', SIZES],
  ['padding', [...SIZES, '1px 2px', '1px 2px 3px 4px']],
  ['padding-top', SIZES],
  ['border', ['1px solid red', '2px dashed', 'none', '3px solid var(--one)']],
  ['border-top', ['4px double green', 'none']],
  ['border-color', COLORS],
  ['border-left-width', ['5px', 'thin']],
  ['border-style', ['solid', 'none', 'wavy']],
  ['font', ['bold 20px/30px serif', 'italic 12px monospace']],
  ['font-size', ['18px', '1.5em', '80%', 'large', 'huge']],
  ['font-weight', ['bold', 'normal', '300', 'initial']],
  ['line-height', ['20px', '1.5', 'normal']],
  ['text-align', ['left', 'right', 'center', 'middle']],
  ['text-transform', ['uppercase', 'none']],
  ['width', ['40px', '50%', 'auto', 'fit-content']],
  ['letter-spacing', ['1px', 'normal']],
  ['opacity', ['0.5', '1']],
  ['display', ['block', 'inline', 'flex', 'none', 'sideways']],
];

/** A style sheet of chance: conflicts of weight, order, layers and importance, nesting, variables, conditions, faults. */
export function randomSheet(random: () => number): string {
  const pick = <V>(list: readonly V[]): V => list[Math.floor(random() * list.length)]!;
  const times = <V>(least: number, most: number, make: () => V): V[] =>
    Array.from({ length: least + Math.floor(random() * (most - least + 1)) }, make);
  const declaration = (): string => {
    const [property, values] = pick(VALUES);
    const roll = random();
    if (roll < 0.04) return pick(['color', 'color red', ': red', '{}', 'color: "x', 'margin:;', '/* x */']);
    return `${roll < 0.1 ? property.toUpperCase() : property}: ${pick(values)}${random() < 0.15 ? ' !important' : ''}`;
  };
  const variable = (): string => `--${pick(['one', 'two', 'gap'])}: ${pick([...COLORS.slice(0, 5), '4px', 'var(--one)', '6px'])}`;
  const body = (): string => [...times(1, 3, declaration), ...(random() < 0.1 ? [variable()] : [])].join('; ');
  const selectors = (): string => {
    const list = times(1, 3, () => pick(SELECTORS));
    if (random() < 0.15) list.push(pick(ADDED));
    if (random() < 0.03) list.push(pick(['p:::x', 'a:wrong', '..a', 'p >']));
    return list.join(', ');
  };
  const rule = (): string => {
    if (random() > 0.1) return `${selectors()} { ${body()} }`;
    const nested = pick(['& b', '&.lead', '> p', '.box &', '& + &', 'a', '&:hover', '@media (max-width: 500px)']);
    return `${pick(SELECTORS)} { ${body()}; ${nested} { ${body()} } ${random() < 0.5 ? body() : ''} }`;
  };
  const item = (): string => {
    const roll = random();
    const rules = (): string => times(1, 3, rule).join('\n  ');
    if (roll < 0.72) return rule();
    if (roll < 0.88) return `@media (max-width: ${NARROW}px) {\n  ${rules()}\n}`;
    if (roll < 0.92) return `@layer ${pick(['one', 'two', 'one.inner', ''])} {\n  ${rules()}\n}`;
    if (roll < 0.94) return '@layer two, one;';
    if (roll < 0.96) return `@supports (color: red) { ${rules()} }`;
    return pick([':root { --one: purple; --gap: 8px }', '@font-face { font-family: X; src: url(x.woff) }', '}', '<!-- -->', '@nothing x;']);
  };
  return times(2, 9, item).join('\n');
}
