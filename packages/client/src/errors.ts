import type { components } from './generated/api.js';

export type ProblemBody = components['schemas']['Problem'];

/** A problem as one text: its sentence, then each single problem that the sentence leaves out or that has a hint. */
function textOf({ title, detail = title, problems = [] }: ProblemBody): string {
  const more = problems.filter(({ message, hint }) => hint !== undefined || !detail.includes(message));
  return [detail, ...more.map(({ path, message, hint }) => `  ${path}: ${message}${hint === undefined ? '' : `. ${hint}`}`)].join('\n');
}

/** The service refused a request. `message` names every problem with its place; `problem` is the answer itself (RFC 9457). */
export class RefusedError extends Error {
  override name = 'RefusedError';
  readonly problem: ProblemBody;

  constructor(problem: ProblemBody) {
    super(textOf(problem));
    this.problem = problem;
  }
}

/** The service could not be reached, did not answer in time, or did not answer as a Verbalis service does. */
export class UnreachableError extends Error {
  override name = 'UnreachableError';

  constructor(
    message: string,
    /** `no-answer`: nothing listens, or the name is not known; `late`: no answer in time; `not-verbalis`: something else answered. */
    readonly kind: 'no-answer' | 'late' | 'not-verbalis' = 'no-answer',
  ) {
    super(message);
  }
}
