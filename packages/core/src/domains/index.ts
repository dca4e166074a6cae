export { characterStrings, zoneLine, type TextRecord } from './zone.js';
