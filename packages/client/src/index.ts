export {
  createClient,
  type Client,
  type ClientOptions,
  type Delivery,
  type KeyMade,
  type ListFilter,
  type Mail,
  type Message,
  type MessageList,
  type MessageSummary,
  type NewKey,
  type NewMessage,
  type SendOptions,
  type SpaceView,
  type State,
} from './client.js';
export { RefusedError, UnreachableError, type ProblemBody } from './errors.js';
