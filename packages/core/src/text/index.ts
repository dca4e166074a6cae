export { pairs, table, type TableRow } from './tables.js';
export { boldWidth } from './letters.js';
export { displayWidth } from './width.js';
export { COLUMNS, wrap } from './wrap.js';
