import { OutsideFault, refuseInside, retryAfterMs, type HttpConnections, type OutsideRules } from '../../kernel/index.js';

/** The result of one try to hand something to a consumer. */
export interface Answer {
  /** HTTP status; undefined where none came. */
  readonly status: number | undefined;
  readonly ok: boolean;
  /** The consumer has gone permanently (410). */
  readonly gone: boolean;
  /** What is wrong, in a sentence. */
  readonly problem: string | undefined;
  /** When to come again, as the consumer says, in milliseconds. */
  readonly retryAfterMs: number | undefined;
  readonly milliseconds: number;
  readonly headers: Readonly<Record<string, string | readonly string[] | undefined>>;
}

export interface SendOptions {
  readonly connections: HttpConnections;
  readonly rules: OutsideRules;
  readonly waitMs: number;
}

function reasonOf(error: unknown): string {
  const { name, code, message } = error as NodeJS.ErrnoException;
  if (name === 'TimeoutError') return 'It did not answer in time.';
  switch (code) {
    case 'ECONNREFUSED':
      return 'Nothing listens there (connection refused).';
    case 'ENOTFOUND':
    case 'EAI_AGAIN':
      return 'The host is not found.';
    case 'EPRIVATE':
      return `${message}; allow it under "outside" in the configuration.`;
    case 'UND_ERR_CONNECT_TIMEOUT':
      return 'It did not answer in time.';
    case 'UND_ERR_SOCKET':
    case 'ECONNRESET':
      return 'It closed the connection without an answer.';
    case undefined:
    default:
      return `It could not be reached: ${message}.`;
  }
}

/** One request to a consumer. Redirects are not followed, private networks not entered. Never throws. */
export async function ask(
  url: string,
  {
    method,
    headers,
    body,
  }: { readonly method: 'POST' | 'OPTIONS'; readonly headers: Readonly<Record<string, string>>; readonly body: string | undefined },
  { connections, rules, waitMs }: SendOptions,
): Promise<Answer> {
  const from = performance.now();
  const spent = (): number => Math.round(performance.now() - from);
  const end = new AbortController();
  const timer = setTimeout(() => {
    end.abort(Object.assign(new Error('too late'), { name: 'TimeoutError' }));
  }, waitMs);
  try {
    refuseInside(new URL(url), rules);
    const response = await connections.request(url, {
      method,
      headers,
      ...(body === undefined ? {} : { body }),
      // Over all of it: a consumer that drips its answer takes no longer than one that gives none.
      signal: end.signal,
    });
    // The status has said it all; a body that does not end changes nothing.
    await response.body.dump({ limit: 64 * 1024 }).catch(() => undefined);
    const { statusCode: status } = response;
    const ok = status >= 200 && status < 300;
    return {
      status,
      ok,
      gone: status === 410,
      problem: ok
        ? undefined
        : status >= 300 && status < 400
          ? `It answered ${status}; redirects are not followed.`
          : `It answered ${status}.`,
      retryAfterMs: retryAfterMs(response.headers['retry-after'], Date.now()),
      milliseconds: spent(),
      headers: response.headers,
    };
  } catch (error) {
    const problem = error instanceof OutsideFault ? `${error.message} Allow it under "outside" in the configuration.` : reasonOf(error);
    return { status: undefined, ok: false, gone: false, problem, retryAfterMs: undefined, milliseconds: spent(), headers: {} };
  } finally {
    clearTimeout(timer);
  }
}
