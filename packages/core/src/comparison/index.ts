export { compareFolders, type Comparison, type RenderingChange } from './compare.js';
export { changedRows, type ChangedRows } from './rows.js';
