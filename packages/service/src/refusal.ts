/** One fault in a request, by its path in the body. */
export interface RequestProblem {
  readonly path: string;
  readonly message: string;
  readonly hint?: string | undefined;
}

/** A request that is refused; the HTTP edge makes an RFC 9457 problem of it. */
export class Refusal extends Error {
  override name = 'Refusal';
  constructor(
    readonly status: number,
    /** The last part of the problem's type, "urn:verbalis:problem:…". */
    readonly type: string,
    readonly title: string,
    readonly more: {
      readonly detail?: string;
      readonly hint?: string | undefined;
      readonly problems?: readonly RequestProblem[];
      readonly retryAfterSeconds?: number;
    } = {},
  ) {
    super(more.detail ?? title);
  }
}

export function invalid(problems: readonly RequestProblem[]): Refusal {
  const n = problems.length;
  return new Refusal(422, 'invalid-request', 'The request is not right', {
    detail: n === 1 ? 'One thing in the request is not right.' : `${n} things in the request are not right.`,
    problems,
  });
}
