export { senderEndpoints } from './endpoints.js';
export { openSenderConfirmations } from './feature.js';
