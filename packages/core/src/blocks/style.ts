import { colorClass, css, type Color, type Theme } from '../html/index.js';

/** Line height that goes with a letter size, in whole pixels (the Word engine rounds anything else). */
export function lineHeight(size: number): number {
  return Math.round(size * 1.5);
}

/** Letters: font, size, colour, written on each element since many clients let none of them through from outside. */
export function letters(theme: Theme, color: Color, size: number, more: Parameters<typeof css>[0] = {}): string {
  return css({
    'font-family': theme.font.body,
    'font-size': size,
    'line-height': lineHeight(size),
    'mso-line-height-rule': 'exactly',
    color: theme.color[color].light,
    ...more,
  });
}

export function textClass(color: Color): string {
  return colorClass('text', color);
}
