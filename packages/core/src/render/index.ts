export { absolute } from './addresses.js';
export { bareEnvironment, type Environment } from './environment.js';
export { escapeHtml, escapeLine, escapeText } from './escape.js';
export { bodiesOf, isSteer, resteered } from './ops.js';
export type {
  Address,
  AddressValue,
  EachOp,
  Encoding,
  Escape,
  IfOp,
  LetOp,
  Op,
  Program,
  Steer,
  TextItem,
  TextOp,
  TextRow,
  Value,
} from './ops.js';
export { compileValue, put, truthy } from './values.js';
export { compileTextOps, prepare, type Renderer, type Rendering, type RenderInput } from './render.js';
