export { sendFrame, withCarried, type Pictures } from './frame.js';
