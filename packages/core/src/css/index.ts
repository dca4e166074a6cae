export { inlineStyles, type Inlined } from './inline.js';
export { classesIn, cssFaults, readDeclarations, readSheet, type Sheet, type SheetDeclaration, type SheetRule } from './sheet.js';
export { compareSpecificity, specificity, type Specificity } from './specificity.js';
