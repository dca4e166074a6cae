export { dataCheck, SchemaFault, type DataCheck, type DataProblem } from './data.js';
export { shown, type SayTypes } from './expressions.js';
export { declareData } from './declare.js';
export { SchemaTypes, type JsonSchema } from './schema.js';
export type { BlockArgument, BlockSignature } from './signature.js';
export { MAIL_FIELDS, typeTrees, type Typing, type TypingInput } from './tree-typer.js';
export { inWords, isNumeral, optional, TEXT, type Member, type Type } from './type.js';
