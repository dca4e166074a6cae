import { asking } from '@verbalis/core/domains';
import { inTime } from '../../kernel/index.js';
import type { OpenNameServers } from './servers.js';

/** Answers the questions about the DNS that a thread has while it judges an email. */
export interface ThreadQuestions {
  /** A new email: the time for its questions begins. @returns whether the DNS is asked at all */
  readonly begin: () => boolean;
  /** A method for the thread. What takes longer than the email may is `failed`. */
  readonly ask: (question: { readonly name: string; readonly type: Parameters<ReturnType<typeof asking>>[1] }) => Promise<unknown>;
}

/** @param mostMs for all questions about one email, in milliseconds */
export function threadQuestions(nameServers: OpenNameServers | undefined, mostMs: number): ThreadQuestions {
  let servers = nameServers?.();
  let endsAt = 0;
  return {
    begin: () => {
      servers = nameServers?.();
      endsAt = performance.now() + mostMs;
      return servers !== undefined;
    },
    ask: async ({ name, type }) => {
      const left = endsAt - performance.now();
      const asked = servers;
      const failed = { status: 'failed' } as const;
      if (left <= 0 || asked === undefined) return failed;
      return (await inTime(left, asking((at, kind) => asked.askResolver(at, kind))(name, type))) ?? failed;
    },
  };
}
