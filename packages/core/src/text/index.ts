export { pairs, table, type TableRow } from './tables.js';
export { displayWidth, padEnd, padStart } from './width.js';
export { COLUMNS, wrap } from './wrap.js';
