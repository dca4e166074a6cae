/** Every state of a delivery. */
export const STATES = ['queued', 'delayed', 'accepted', 'delivered', 'failed', 'complained', 'withheld', 'expired', 'canceled'] as const;
export type State = (typeof STATES)[number];

interface StateRow {
  /** The sentence for people; without a full stop if a cause or a reason follows. */
  readonly sentence: (address: string) => string;
  /** Whether the service has nothing left to do, whatever comes back later. */
  readonly isFinal: boolean;
  /** Whether its causes are counted: someone would ask why. */
  readonly isTrouble: boolean;
}

/** What each state means. */
export const STATE_TABLE: Readonly<Record<State, StateRow>> = {
  queued: { sentence: (address) => `The email to ${address} waits to be sent.`, isFinal: false, isTrouble: false },
  delayed: { sentence: (address) => `The email to ${address} is delayed`, isFinal: false, isTrouble: true },
  accepted: {
    sentence: (address) => `The provider accepted the email to ${address}; nothing has been reported about the mailbox yet.`,
    isFinal: true,
    isTrouble: false,
  },
  delivered: { sentence: (address) => `The email reached the mailbox of ${address}.`, isFinal: true, isTrouble: false },
  failed: { sentence: (address) => `The email to ${address} could not be delivered`, isFinal: true, isTrouble: true },
  complained: { sentence: (address) => `${address} received the email and reported it as unwanted.`, isFinal: true, isTrouble: true },
  withheld: { sentence: (address) => `The email to ${address} was not sent`, isFinal: true, isTrouble: true },
  expired: {
    sentence: (address) => `The email to ${address} was not sent because its deadline had passed.`,
    isFinal: true,
    isTrouble: true,
  },
  canceled: { sentence: (address) => `The email to ${address} was canceled before it was sent.`, isFinal: true, isTrouble: false },
};

/** Everything that can become known of a delivery. */
export const FACT_KINDS = [
  'accepted',
  'delayed',
  'relayed',
  'delivered',
  'failed',
  'complained',
  'withheld',
  'expired',
  'canceled',
  // Engagement is beside the state and never decides it.
  'link-followed',
  'image-loaded',
] as const;
export type FactKind = (typeof FACT_KINDS)[number];

/** Where a fact comes from: our own attempt, something that came back, or a decision of the service. */
export type FactSource = 'attempt' | 'return' | 'service';

/**
 * Which fact wins, whatever came first. A delivery's state is that of its highest fact; two of one height agree on the state.
 * Only a set is looked at, so order and repetition change nothing.
 */
export const PRECEDENCE: readonly {
  readonly kind: FactKind;
  readonly source?: FactSource;
  readonly state: State;
  readonly because: string;
}[] = [
  {
    kind: 'complained',
    state: 'complained',
    because: 'A recipient read it and complained: that outweighs earlier facts about its delivery.',
  },
  {
    kind: 'failed',
    source: 'return',
    state: 'failed',
    because: 'A late failure overrides an earlier success: the server that took it gave it up after all.',
  },
  { kind: 'delivered', state: 'delivered', because: 'The mailbox has it; a refusal of another attempt does not take it back.' },
  { kind: 'delayed', source: 'return', state: 'delayed', because: 'A server that took it says that it still waits.' },
  { kind: 'relayed', state: 'accepted', because: 'It was passed on to a system that gives no reports.' },
  { kind: 'accepted', state: 'accepted', because: 'A provider accepted it. A request to cancel it came too late.' },
  { kind: 'failed', state: 'failed', because: 'A provider refused it permanently, or the attempts are used up.' },
  { kind: 'expired', state: 'expired', because: 'Its deadline passed before a provider took it.' },
  { kind: 'canceled', state: 'canceled', because: 'It was called back before the hand-over.' },
  { kind: 'withheld', state: 'withheld', because: 'It must not be sent to this address.' },
  { kind: 'delayed', state: 'delayed', because: 'An attempt was deferred; another follows.' },
];
