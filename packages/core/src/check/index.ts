export { adviseFolder, adviseTemplate, adviseTheme, CLIP_LIMIT } from './advise.js';
export { CSS_FEATURES, FAMILIES, FAMILY_WORDS, type CssFeature, type Family } from './clients.js';
export { compareParts, type Difference } from './parts.js';
export { colorOf, contrast, LEAST_CONTRAST } from './contrast.js';
