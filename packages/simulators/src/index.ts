export {
  signedCall,
  startHttpProvider,
  type Dialect,
  type Fault,
  type HttpStandIn,
  type HttpStandInOptions,
  type TakenLetter,
} from './http-provider.js';
export { ScriptedOutcome, Script } from './script.js';
export {
  startSmtpProvider,
  type Seen,
  type StandInOptions,
  type Behaviour,
  type StandInClock,
  type StandInProvider,
} from './smtp-provider.js';
export { startChat, type Chat, type ChatMessage } from './chat.js';
