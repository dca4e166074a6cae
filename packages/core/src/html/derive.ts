import { contrast, LEAST_CONTRAST } from './contrast.js';
import { COLORS, USUAL_THEME, type Color, type Pair } from './theme.js';

/** What a theme says of a colour: its value on a light background, and perhaps the one on a dark. */
export interface GivenColor {
  readonly light: string;
  readonly dark: string | undefined;
}

/** What each colour of letters stands on; all others are backgrounds and lines. */
const GROUND: { readonly [C in Color]?: Color } = {
  text: 'surface',
  soft: 'surface',
  link: 'surface',
  accent: 'surface',
  onAccent: 'accent',
  onInfo: 'info',
  onGood: 'good',
  onWarning: 'warning',
  onDanger: 'danger',
};
/** From the ground up: what stands on another colour comes after it. */
const ORDER: readonly Color[] = [...COLORS].sort((a, b) => depthOf(a) - depthOf(b));

function depthOf(color: Color): number {
  const ground = GROUND[color];
  return ground === undefined ? 0 : 1 + depthOf(ground);
}

function mixed(color: string, other: string, share: number): string {
  const part = (at: number): string => {
    const [a, b] = [color, other].map((hex) => Number.parseInt(hex.slice(at, at + 2), 16)) as [number, number];
    return Math.round(a + (b - a) * share)
      .toString(16)
      .padStart(2, '0');
  };
  return `#${part(1)}${part(3)}${part(5)}`;
}

/** The colour nearest to one that reads well on a ground. */
function readable(color: string, ground: string): string {
  const towards = contrast('#ffffff', ground) > contrast('#000000', ground) ? '#ffffff' : '#000000';
  for (let share = 0; share < 1; share += 0.04) {
    const tried = mixed(color, towards, share);
    if (contrast(tried, ground) >= LEAST_CONTRAST) return tried;
  }
  return towards;
}

/**
 * The colours of a theme with all that it leaves out: a colour without a dark value gets one that reads well in the dark, and what stands on a
 * colour of the theme reads well on it. What the theme gives stays as it is.
 */
export function derivedColors(given: ReadonlyMap<Color, GivenColor>): Record<Color, Pair> {
  const out: Record<Color, Pair> = { ...USUAL_THEME.color };
  for (const color of ORDER) {
    const own = given.get(color) ?? (color === 'link' ? given.get('accent') : undefined);
    const isGiven = given.has(color);
    const ground = GROUND[color];
    const usual = USUAL_THEME.color[color];
    const on = (scheme: 'light' | 'dark', wanted: string): string =>
      ground === undefined ? wanted : readable(wanted, out[ground][scheme]);
    const light = own === undefined ? on('light', usual.light) : isGiven ? own.light : on('light', own.light);
    // A background without a dark value has the usual one; letters are made lighter.
    const dark = own?.dark ?? (own !== undefined && ground !== undefined ? on('dark', own.light) : on('dark', usual.dark));
    out[color] = { light, dark };
  }
  return out;
}
