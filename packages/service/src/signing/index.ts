export { seal, unseal } from './seal.js';
export { signing, type Signing } from './signing.js';
