/**
 * How many made-up cases a test tries, or which: the usual ones, or with `VERBALIS_TESTS=thorough` more. Every test is
 * run in both; a thorough run comes before a release.
 */
export function scaled<T>(usual: T, thorough: T): T {
  return process.env['VERBALIS_TESTS'] === 'thorough' ? thorough : usual;
}
