export {
  canonicalLocale,
  compileMessage,
  localeFault,
  lookUp,
  readStrings,
  textOf,
  type SayUse,
  type Strings,
  type StringsFile,
} from './strings.js';
export { piecesOf } from './rich.js';
