export { readPayloadTemplate, type ReadPayloadTemplate, type PayloadTemplate } from './payload.js';
