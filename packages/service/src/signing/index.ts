export { signing, type Signing } from './signing.js';
