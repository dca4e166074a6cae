import type { deliveryStore } from './deliveries.js';
import type { messageStore } from './queries.js';

/** The records of this feature, for the features above it. */
export interface MessageRecords {
  readonly messages: ReturnType<typeof messageStore>;
  readonly deliveries: ReturnType<typeof deliveryStore>;
}
