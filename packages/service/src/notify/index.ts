export { eventFeed, type Feed } from './feed.js';
export { notifier, type NewSubscription, type Notifier } from './notifier.js';
export type { Answer } from './send.js';
