export { colorClass, type ColorUse } from './colors.js';
export { EDGE, hiddenPreview, htmlDocument, INSIDE } from './document.js';
export { derivedColors, type GivenColor } from './derive.js';
export { contrast, LEAST_CONTRAST } from './contrast.js';
export { css, fixed, joined, markup } from './markup.js';
export { COLORS, USUAL_THEME, type Color, type Pair, type Theme } from './theme.js';
export { tagsOf, VOID, walkMarkup, type Tag, type TagAttribute } from './tags.js';
