/**
 * How long tests wait, in milliseconds. A busy machine is not a fault: what takes 0.2 s may take half a minute there, so these only end what
 * would never come. Nothing else in the tests names a time to wait.
 */
export const LIMITS = {
  /** For a condition that is asked for again and again. */
  condition: 120_000,
  /** For an element of a page. */
  element: 90_000,
  /** For one test as a whole; also in jest.config.js. */
  test: 300_000,
  /** For one that does thousands of things. */
  longTest: 900_000,
} as const;
