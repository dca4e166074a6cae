export {
  Callbacks,
  CallbackSignature,
  EVENT_MEANINGS,
  HttpProfile,
  meaningOfStatus,
  readProfile,
  type EventMeaning,
  type ReadProfile,
} from './profile.js';
