export { unsubscribePages } from './unsubscribe-pages.js';
