import type { IncomingMessage } from 'node:http';
import type { Part } from '@verbalis/core/mime';
import type { ScriptedOutcome } from '../script.js';

/** A request as it came, whole. */
export interface Request {
  readonly method: string;
  readonly url: string;
  readonly headers: IncomingMessage['headers'];
  readonly body: Buffer;
}

/** A letter as a dialect has understood it. */
export interface Letter {
  readonly to: string;
  readonly subject: string;
  readonly attachments: readonly { readonly name: string; readonly bytes: number }[];
  /** Where it came as a whole email. */
  readonly mail: Part | undefined;
  /** What we passed on for ourselves. */
  readonly headers: Readonly<Record<string, string>>;
}

export interface DialectAnswer {
  readonly status: number;
  readonly body: string;
  readonly headers?: Readonly<Record<string, string>>;
}

/** The outcome of a letter, which is reported by a call. */
export interface News {
  readonly nr: string;
  /** Of the letter. */
  readonly id: string;
  readonly address: string;
  readonly outcome: ScriptedOutcome;
}

/** A call as it is made. */
export interface DialectCall {
  readonly url: string;
  readonly body: string;
  readonly headers: Readonly<Record<string, string>>;
}

/** How an invented HTTP mail API speaks. They differ in everything, so that profiles are proven to be general. */
export interface Dialect {
  readonly isKnown: (request: Request, key: string) => boolean;
  readonly read: (request: Request) => Letter;
  readonly unknownCaller: DialectAnswer;
  readonly accepted: (id: string, address: string) => DialectAnswer;
  readonly refused: (address: string) => DialectAnswer;
  readonly later: DialectAnswer;
  /** Without anything that it is called by. */
  readonly withoutId: DialectAnswer;
  readonly call: (news: readonly News[], to: { readonly url: string; readonly secret: string; readonly now: number }) => DialectCall;
}

/** The value of a field. */
export function fieldIn({ headers }: Request, name: string): string {
  const value = headers[name];
  return typeof value === 'string' ? value : '';
}
