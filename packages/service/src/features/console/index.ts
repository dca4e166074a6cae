export { consoleRouter } from './console.js';
