export { labelMask } from './labels.js';
export { judgeHit, type Hit, type HitVerdict } from './machines.js';
export {
  linksOf,
  rewriteLinks,
  withoutMarks,
  withPicture,
  type LinkFor,
  type LinkInEmail,
  type Rewritten,
  type TrackedLink,
} from './links.js';
export { readHitToken, writeHitToken, type HitOf, type HitToken } from './token.js';
