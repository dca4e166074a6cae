/** Relative luminance of "#rrggbb" (WCAG 2.2, relative luminance). */
function luminance(hex: string): number {
  const [r = 0, g = 0, b = 0] = [1, 3, 5].map((at) => {
    const value = Number.parseInt(hex.slice(at, at + 2), 16) / 255;
    return value <= 0.04045 ? value / 12.92 : ((value + 0.055) / 1.055) ** 2.4;
  });
  return 0.2126 * r + 0.7152 * g + 0.0722 * b;
}

/** Contrast ratio of two colours, 1 to 21 (WCAG 2.2, contrast ratio). */
export function contrast(a: string, b: string): number {
  const [x, y] = [luminance(a), luminance(b)];
  return (Math.max(x, y) + 0.05) / (Math.min(x, y) + 0.05);
}

/** What WCAG asks of running text (1.4.3, AA). */
export const LEAST_CONTRAST = 4.5;

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

/** A CSS colour as "#rrggbb"; undefined for what is none, is see-through or is computed. */
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
