/** A colour with its value on a light and on a dark background, both "#rrggbb". */
export interface Pair {
  readonly light: string;
  readonly dark: string;
}

export const COLORS = [
  'page',
  'surface',
  'text',
  'soft',
  'line',
  'accent',
  'onAccent',
  'link',
  'info',
  'onInfo',
  'good',
  'onGood',
  'warning',
  'onWarning',
  'danger',
  'onDanger',
] as const;
export type Color = (typeof COLORS)[number];

/** The design tokens that colour and space everything, resolved. Sizes in CSS pixels. */
export interface Theme {
  readonly color: Readonly<Record<Color, Pair>>;
  readonly font: { readonly body: string; readonly heading: string; readonly mono: string };
  readonly size: { readonly text: number; readonly small: number; readonly h1: number; readonly h2: number; readonly h3: number };
  readonly space: { readonly unit: number; readonly radius: number };
}

const SANS = "'Helvetica Neue', Helvetica, Arial, sans-serif";

/** What a mail folder has without a theme of its own. Every pair keeps a contrast of 4.5:1 or more. */
export const USUAL_THEME: Theme = {
  color: {
    page: { light: '#f1f3f4', dark: '#14181c' },
    surface: { light: '#ffffff', dark: '#1e242a' },
    text: { light: '#1f2933', dark: '#e6e9ec' },
    soft: { light: '#52606d', dark: '#a9b4be' },
    line: { light: '#d5dade', dark: '#3a444d' },
    accent: { light: '#1d4e89', dark: '#9cc4f2' },
    onAccent: { light: '#ffffff', dark: '#10202f' },
    link: { light: '#1d4e89', dark: '#9cc4f2' },
    info: { light: '#e3eefa', dark: '#1d3348' },
    onInfo: { light: '#163a63', dark: '#cfe3f8' },
    good: { light: '#e1f3e6', dark: '#1c3a28' },
    onGood: { light: '#14532d', dark: '#c5ebd1' },
    warning: { light: '#fdf0d5', dark: '#43330f' },
    onWarning: { light: '#6b4400', dark: '#f6dfa9' },
    danger: { light: '#fbe4e2', dark: '#4a1d1a' },
    onDanger: { light: '#8a1c13', dark: '#f8cdc9' },
  },
  font: { body: SANS, heading: SANS, mono: "'SFMono-Regular', Consolas, 'Liberation Mono', Menlo, monospace" },
  size: { text: 16, small: 13, h1: 26, h2: 20, h3: 17 },
  space: { unit: 8, radius: 6 },
};
