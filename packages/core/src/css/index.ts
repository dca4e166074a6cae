export { inlineStyles, type Elsewhere, type InlineOptions, type Inlined } from './inline.js';
export { classesIn, cssFaults, type CssProblem } from './faults.js';
export { readDeclarations, type SheetDeclaration, type SheetInput } from './sheet.js';
export { compareSpecificity, specificity, type Specificity } from './specificity.js';
export { readImport } from './imports.js';
export { readStructure, type CssItem } from './structure.js';
