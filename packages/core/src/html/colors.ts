import { COLORS, type Color, type Theme } from './theme.js';

/** Where a colour is used: as letters, as background, as line. Each use has a class, which dark mode overrides. */
export type ColorUse = 'text' | 'background' | 'line';

const PROPERTY: Readonly<Record<ColorUse, string>> = { text: 'color', background: 'background-color', line: 'border-color' };
const LETTER: Readonly<Record<ColorUse, string>> = { text: 'i', background: 'g', line: 'l' };

export function colorClass(use: ColorUse, color: Color): string {
  return `v${LETTER[use]}${COLORS.indexOf(color)}`;
}

/** The style sheet that stays in the head: dark pairs, by media query and by the attributes that some webmails set. */
export function darkRules(theme: Theme, used: ReadonlySet<string>): string {
  const rules: string[] = [];
  for (const use of ['text', 'background', 'line'] as const) {
    for (const color of COLORS) {
      const name = colorClass(use, color);
      if (used.has(name)) rules.push(`.${name}{${PROPERTY[use]}:${theme.color[color].dark}!important}`);
    }
  }
  const hooked = rules.map((rule) => `[data-ogsc] ${rule}`).join('\n');
  return `@media (prefers-color-scheme:dark){\n${rules.join('\n')}\n}\n${hooked}`;
}
