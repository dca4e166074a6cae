import { colorClass, css, type Color, type Theme } from '../html/index.js';
import type { Inline } from '../notation/index.js';

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

/** Letters of the longest word that a column may be as wide as, on a narrow screen. */
const SHORT = 20;

function isShort(nodes: readonly Inline[]): boolean {
  return nodes.every((node) => {
    if (node.kind === 'text') return node.text.split(/\s+/).every((word) => word.length <= SHORT);
    return (
      node.kind === 'break' || ((node.kind === 'strong' || node.kind === 'emphasis' || node.kind === 'struck') && isShort(node.children))
    );
  });
}

/**
 * How the words of a cell are broken. `break-word`: its column is as wide as the longest of them. Where values stand, words can be of any
 * length: `anywhere`, or one of them would make the email wider than the screen.
 */
export function breaking(cell: readonly Inline[]): 'break-word' | 'anywhere' {
  return isShort(cell) ? 'break-word' : 'anywhere';
}

export function textClass(color: Color): string {
  return colorClass('text', color);
}
