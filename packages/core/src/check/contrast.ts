export { contrast, LEAST_CONTRAST } from '../html/index.js';

const NAMED: Readonly<Record<string, string>> = {
  black: '#000000',
  white: '#ffffff',
  gray: '#808080',
  grey: '#808080',
  silver: '#c0c0c0',
  red: '#ff0000',
  green: '#008000',
  blue: '#0000ff',
  navy: '#000080',
  maroon: '#800000',
  yellow: '#ffff00',
  teal: '#008080',
  orange: '#ffa500',
};

/** A CSS colour as "#rrggbb"; undefined for invalid, transparent and computed ones. */
export function colorOf(value: string): string | undefined {
  const text = value
    .trim()
    .toLowerCase()
    .replace(/(?<!\s)\s*!important$/, '');
  const short = /^#([0-9a-f])([0-9a-f])([0-9a-f])$/.exec(text);
  if (short !== null)
    return `#${short
      .slice(1)
      .map((word) => word + word)
      .join('')}`;
  if (/^#[0-9a-f]{6}$/.test(text)) return text;
  const rgb = /^rgb\(\s*(\d{1,3})[\s,]{1,20}(\d{1,3})[\s,]{1,20}(\d{1,3})\s*\)$/.exec(text);
  if (rgb !== null)
    return `#${rgb
      .slice(1)
      .map((word) => Math.min(255, Number(word)).toString(16).padStart(2, '0'))
      .join('')}`;
  return NAMED[text];
}
