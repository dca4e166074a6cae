export type { BinaryOperator, Expression, Insertion } from './expression.js';
export { MAX_SOURCE_BYTES } from './open.js';
export { MAX_NESTING, parseSource, parseVerbatim, type BlockModes } from './parse.js';
export { FRONT_KEYS } from './front-matter.js';
export { MAX_EXPRESSION_DEPTH, parseExpression, parseInsertion } from './parse-expression.js';
export { tokenize, type Token } from './tokens.js';
export { parseParts } from './parts.js';
export type {
  Argument,
  BlockUse,
  Branches,
  ContentMode,
  Fact,
  FactPart,
  Flow,
  FrontValue,
  Inline,
  ListItem,
  ListPart,
  Local,
  Loop,
  Part,
  Parts,
  Row,
  RowPart,
  SourceTree,
  Steering,
  Verbatim,
  VerbatimTree,
} from './tree.js';
export { within } from './within.js';
