import { randomBytes } from 'node:crypto';
import { deserialize, serialize } from 'node:v8';
import { createInbox, headers, type Msg, type NatsConnection, type Subscription } from '@nats-io/transport-node';

// Calls between nodes, through the brokers. What is said fits into one message or goes in several; values are cloned as between threads.

/** Headers of each part of a call: the call it belongs to, "2/3", and "error" if it is one. */
const [CALL, PART, KIND] = ['Verbalis-Call', 'Verbalis-Part', 'Verbalis-Kind'];
const PART_BYTES = 512 * 1024;
/** Nobody listens there. */
const NO_RESPONDERS = 503;
/** Parts of calls that do not come to their end are forgotten after this many others. */
const MOST_OPEN = 1000;

/** Nobody answered a call, or the one who was to answer has failed. */
export class CallFault extends Error {
  override name = 'CallFault';
  constructor(
    message: string,
    /** Whether there was nobody to answer. */
    readonly isNobody = false,
  ) {
    super(message);
  }
}

export interface Calls {
  /** @param ms how long the answer is waited for @throws CallFault */
  readonly call: <T>(subject: string, input: unknown, ms: number) => Promise<T>;
  /** Says something that needs no answer; it may be lost. */
  readonly tell: (subject: string, input: unknown) => void;
  /** Answers what comes to a subject. What is thrown is given back as a CallFault. @returns what ends it */
  readonly answer: (subject: string, run: (input: never) => unknown) => () => void;
  readonly close: () => void;
}

/** Puts parts together. */
function assembly(): (message: Msg) => { readonly id: string; readonly kind: string; readonly value: unknown } | undefined {
  const open = new Map<string, Uint8Array[]>();
  return (message) => {
    const id = message.headers?.get(CALL) ?? '';
    const [n, of] = (message.headers?.get(PART) ?? '').split('/');
    const parts = open.get(id) ?? [];
    parts.push(message.data);
    if (n !== of) {
      if (n === '1' && open.size >= MOST_OPEN) open.clear();
      open.set(id, parts);
      return undefined;
    }
    open.delete(id);
    // A part was lost: as if nothing had come.
    if (String(parts.length) !== of) return undefined;
    const bytes = parts.length === 1 ? message.data : Buffer.concat(parts);
    return { id, kind: message.headers?.get(KIND) ?? '', value: deserialize(bytes) };
  };
}

export function callsOver(connection: NatsConnection): Calls {
  const inbox = createInbox();
  const waiting = new Map<string, { readonly resolve: (value: never) => void; readonly reject: (error: Error) => void }>();
  const together = assembly();
  let last = 0;

  function send(
    subject: string,
    id: string,
    value: unknown,
    { reply, kind = '' }: { readonly reply?: string; readonly kind?: string } = {},
  ): void {
    if (connection.isClosed()) return;
    const bytes = serialize(value);
    const count = Math.max(1, Math.ceil(bytes.length / PART_BYTES));
    for (let i = 0; i < count; i += 1) {
      const beside = headers();
      beside.set(CALL, id);
      beside.set(PART, `${i + 1}/${count}`);
      if (kind !== '') beside.set(KIND, kind);
      const data = bytes.subarray(i * PART_BYTES, (i + 1) * PART_BYTES);
      // Where nobody listens, the brokers say so to each part.
      connection.publish(subject, data, { headers: beside, ...(reply === undefined ? {} : { reply }) });
    }
  }

  const own: Subscription = connection.subscribe(`${inbox}.*`, {
    callback: (error, message) => {
      if (error !== null) return;
      if (message.headers?.code === NO_RESPONDERS) {
        const id = message.subject.slice(inbox.length + 1);
        waiting.get(id)?.reject(new CallFault('There is no answer.', true));
        return;
      }
      const said = together(message);
      if (said === undefined) return;
      if (said.kind === 'error') waiting.get(said.id)?.reject(new CallFault(String(said.value)));
      else waiting.get(said.id)?.resolve(said.value as never);
    },
  });

  return {
    call<T>(subject: string, input: unknown, ms: number): Promise<T> {
      const id = `${(last += 1)}-${randomBytes(6).toString('base64url')}`;
      return new Promise<T>((resolve, reject) => {
        const timer = setTimeout(() => {
          settle(() => {
            reject(new CallFault(`No answer came within ${Math.round(ms / 1000)} s.`));
          });
        }, ms);
        const settle = (end: () => void): void => {
          clearTimeout(timer);
          if (waiting.delete(id)) end();
        };
        waiting.set(id, {
          resolve: (value: never) => {
            settle(() => {
              resolve(value);
            });
          },
          reject: (error) => {
            settle(() => {
              reject(error);
            });
          },
        });
        send(subject, id, input, { reply: `${inbox}.${id}` });
      });
    },

    tell(subject, input) {
      send(subject, `${(last += 1)}`, input);
    },

    answer(subject, run) {
      const parts = assembly();
      const subscription = connection.subscribe(subject, {
        callback: (error, message) => {
          if (error !== null) return;
          const said = parts(message);
          if (said === undefined) return;
          const { reply } = message;
          void Promise.resolve()
            .then(() => run(said.value as never))
            .then(
              (value) => {
                if (reply !== undefined && reply !== '') send(reply, said.id, value);
              },
              (fault: unknown) => {
                if (reply !== undefined && reply !== '')
                  send(reply, said.id, fault instanceof Error ? fault.message : String(fault), { kind: 'error' });
              },
            );
        },
      });
      return () => {
        subscription.unsubscribe();
      };
    },

    close() {
      own.unsubscribe();
      for (const { reject } of [...waiting.values()]) reject(new CallFault('This node ends.'));
    },
  };
}
