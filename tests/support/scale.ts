/**
 * How many made-up cases a test tries: the usual number, or with `VERBALIS_TESTS=thorough` so many more. Every test is
 * run in both; a thorough run comes before a release.
 */
export function scaled(usual: number, thorough: number): number {
  return process.env['VERBALIS_TESTS'] === 'thorough' ? thorough : usual;
}
