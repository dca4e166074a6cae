export { dataCheck, SchemaFault, type DataCheck, type DataProblem } from './data.js';
export { anythingHint, fits, hasFormat, isFormatted, momentsOf, shown, type SayTypes } from './expressions.js';
export { accepts } from './accepts.js';
export { schemaBoundFault } from './bounds.js';
export { declareData } from './declare.js';
export { compilePattern, PatternFault, type Pattern } from './pattern.js';
export { typeOfSchema, type JsonSchema } from './schema.js';
export type { BlockArgument, BlockSignature } from './signature.js';
export { MAIL_FIELDS, typeTrees, type Typing, type TypingInput } from './tree-typer.js';
export {
  ANY,
  inWords,
  isFaulty,
  isNumeral,
  literal,
  mayBeAnything,
  optional,
  TEXT,
  type Member,
  type TextMember,
  type Type,
} from './type.js';
