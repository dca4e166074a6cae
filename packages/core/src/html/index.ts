export { colorClass, type ColorUse } from './colors.js';
export { htmlDocument, MAIL_WIDTH } from './document.js';
export { css, fixed, joined, markup } from './markup.js';
export { COLORS, USUAL_THEME, type Color, type Pair, type Theme } from './theme.js';
