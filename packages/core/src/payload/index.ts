export {
  readPayloadExpression,
  readPayloadTemplate,
  type Known,
  type KnownNames,
  type PayloadOptions,
  type PayloadTemplate,
  type ReadPayloadTemplate,
} from './payload.js';
export { listType, recordType } from './shape-types.js';
