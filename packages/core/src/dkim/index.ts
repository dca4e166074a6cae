export { canonicalBodyHash, canonicalField } from './canonical.js';
export { importKey, makeKey, recordOf, type KeyAlgorithm, type MadeKey } from './keys.js';
export { signMail, type SigningKey } from './sign.js';
