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

  /** The whole of it for a line of a record: what, and in particular. */
  get sentence(): string {
    const { detail } = this.more;
    return detail === undefined ? this.title : `${this.title}: ${detail}`;
  }
}

/** Problems that the sentence names; `problems` has all. */
const SHOWN = 5;

/** A request with faults, all of them at once. */
export function invalid(problems: readonly RequestProblem[]): Refusal {
  const n = problems.length;
  const listed = problems.slice(0, SHOWN).map(({ path, message }) => (path === '' ? `it ${message}` : `"${path}" ${message}`));
  const more = n > SHOWN ? ` and ${n - SHOWN} more` : '';
  return new Refusal(422, 'invalid-request', 'The request is not valid', {
    detail: `The request has ${n === 1 ? '1 problem' : `${n} problems`}: ${listed.map((text) => text.replace(/\.$/, '')).join('; ')}${more}.`,
    problems,
  });
}
