export { adviseFolder, adviseTemplate, adviseTheme, CLIP_LIMIT } from './advise.js';
export { type CssFeature, type Family } from './clients.js';
export { compareParts, type Difference } from './parts.js';
export { isSilenced, withoutSilenced, type Told } from './silence.js';
export { contrast } from './contrast.js';
export { UNSUBSCRIBE } from './words.js';
