export { compileMessage, lookUp, readStrings, textOf, type Strings, type StringsFile } from './strings.js';
