export { canonicalLocale, localeFault, lookUp, readStrings, textOf, type SayUse, type Strings, type StringsFile } from './strings.js';
export { piecesOf } from './rich.js';
export { compileMessage } from './message.js';
