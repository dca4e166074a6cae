export { verifyCall, type Verdict } from './verify.js';
export { eventsOf, rawEvents, type CallbackEvent } from './events.js';
export { callbackDesk, type CallbackDesk, MOST_EVENTS } from './desk.js';
