export { inWords, suppressing, type Suppressing } from './suppressing.js';
export { readSuppressions, writeSuppressions, type CsvLine } from './csv.js';
