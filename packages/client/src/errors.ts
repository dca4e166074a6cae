import type { components } from './generated/api.js';

export type ProblemBody = components['schemas']['Problem'];

/** The service refused a request: what it said, in its own words. */
export class RefusedError extends Error {
  override name = 'RefusedError';
  readonly problem: ProblemBody;

  constructor(problem: ProblemBody) {
    super(problem.detail ?? problem.title);
    this.problem = problem;
  }
}

/** The service could not be reached, or did not answer as a Verbalis service does. */
export class UnreachableError extends Error {
  override name = 'UnreachableError';
}
