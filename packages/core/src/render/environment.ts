import type { FormatContext } from '../formats/index.js';
import { Fault } from '../problems/index.js';

/** Loop turns that one rendering may take (4-template-notation, Bounds). */
const MAX_TURNS = 10_000;
/** Characters that one part of a rendering may have. */
export const MAX_OUTPUT = 2 * 1024 * 1024;

/** What a rendering runs on. */
export interface Environment {
  readonly data: unknown;
  readonly mail: Readonly<Record<string, unknown>>;
  readonly slots: unknown[];
  readonly context: FormatContext;
  readonly baseUrl: string;
  readonly linkHosts: readonly string[] | undefined;
  /** Addresses of the text part, in the order of their numbers. */
  readonly notes: string[];
  readonly say: (key: string, values: Readonly<Record<string, unknown>>, at: string) => string;
  readonly words: Readonly<Record<string, string>>;
  turns: number;
}

/** An environment for expressions alone: no strings, no locale of its own. */
export function bareEnvironment(data: unknown, slots: number, now = 0): Environment {
  return {
    data,
    mail: {},
    slots: new Array<unknown>(slots).fill(undefined),
    context: { locale: 'en', timeZone: 'UTC', now },
    baseUrl: '',
    linkHosts: undefined,
    notes: [],
    say: (key, _values, at) => {
      throw new Fault('unknown-string', `There is no string "${key}" here.`, { at });
    },
    words: {},
    turns: 0,
  };
}

export function countTurn(env: Environment): void {
  env.turns += 1;
  if (env.turns > MAX_TURNS) {
    throw new Fault('too-many-turns', `The loops of this mail take more than ${MAX_TURNS} turns.`, {
      hint: 'Send fewer entries, or link to a page that lists them.',
    });
  }
}
