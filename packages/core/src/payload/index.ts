export { readPayloadTemplate, type ReadPayloadTemplate, type Known, type KnownNames, type PayloadTemplate } from './payload.js';
