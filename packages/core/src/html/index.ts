export { colorClass, type ColorUse } from './colors.js';
export { hiddenPreview, htmlDocument } from './document.js';
export { css, fixed, joined, markup } from './markup.js';
export { COLORS, USUAL_THEME, type Color, type Pair, type Theme } from './theme.js';
