export { dataCheck, type DataCheck, type DataProblem } from './data.js';
export { ExpressionTyper, type Watch } from './expressions.js';
export { type SayTypes } from './say-use.js';
export { argumentsOf } from './format-types.js';
export { insertFaults } from './insertion.js';
export { Scope, type Binder } from './scope.js';
export { fits, hasFormat, isFormatted, momentsOf } from './kinds.js';
export { accepts } from './accepts.js';
export { schemaBoundFault } from './bounds.js';
export { declareData } from './declare.js';
export { type Pattern } from './pattern.js';
export { MASK, maskingOf, SENSITIVE, sensitiveFault, type Masking } from './sensitive.js';
export { SAMPLE_KINDS, sampleOf, type SampleKind } from './made-samples.js';
export { schemaAt, typeOfSchema, type JsonSchema } from './schema.js';
export type { BlockArgument, BlockSignature } from './signature.js';
export { typeTrees, type Gift, type Typing, type TypingInput } from './tree-typer.js';
export {
  ABSENT,
  ANY,
  either,
  FAULTY,
  inWords,
  isFaulty,
  isNumeral,
  literal,
  mayBeAnything,
  NEVER,
  optional,
  present,
  TEXT,
  textOf,
  type Field,
  type ListMember,
  type Member,
  type RecordMember,
  type TextMember,
  type Type,
} from './type.js';
export { anythingHint, shown } from './wording.js';
