export { refuseLink } from './refuse.js';
