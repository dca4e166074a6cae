export {
  signedCall,
  startHttpProvider,
  type Fault,
  type HttpSimulator,
  type HttpSimulatorOptions,
  type TakenLetter,
} from './http-provider.js';
export { ScriptedOutcome, Script } from './script.js';
export {
  startSmtpProvider,
  type Seen,
  type SmtpSimulatorOptions,
  type Behaviour,
  type SimulatorClock,
  type SmtpSimulator,
} from './smtp-provider.js';
export { startChat, type Chat, type ChatMessage } from './chat.js';
export { startNameServer, type NameServerSimulator, type SimulatedRecord } from './name-server.js';
export { startRecipientSource, type AskedRun, type RecipientSource } from './recipient-source.js';
export { startSignInProvider, type Account, type SignInProvider } from './sign-in-provider.js';
