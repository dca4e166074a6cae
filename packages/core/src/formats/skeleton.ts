/** Fields of a pattern (UTS 35, 4.1) by their letter: what Intl calls each, by how often the letter stands. */
const FIELDS: Readonly<Record<string, readonly [keyof Intl.DateTimeFormatOptions, readonly string[]]>> = {
  G: ['era', ['short', 'short', 'short', 'long', 'narrow']],
  y: ['year', ['numeric', '2-digit', 'numeric', 'numeric']],
  M: ['month', ['numeric', '2-digit', 'short', 'long', 'narrow']],
  d: ['day', ['numeric', '2-digit']],
  E: ['weekday', ['short', 'short', 'short', 'long', 'narrow']],
  j: ['hour', ['numeric', '2-digit']],
  h: ['hour', ['numeric', '2-digit']],
  H: ['hour', ['numeric', '2-digit']],
  m: ['minute', ['numeric', '2-digit']],
  s: ['second', ['numeric', '2-digit']],
  z: ['timeZoneName', ['short', 'short', 'short', 'long']],
};

export const DATE_LETTERS = 'GyMdE';
export const TIME_LETTERS = 'jhHmsz';

/**
 * What a skeleton asks for: "yMMMEd" is a year, a short month, a short weekday and a day, in the order of the locale.
 * @param letters those that are allowed
 * @returns undefined for what is no skeleton
 */
export function skeletonOptions(skeleton: string, letters: string): Intl.DateTimeFormatOptions | undefined {
  const options: Record<string, unknown> = {};
  if (!/^[A-Za-z]{1,32}$/.test(skeleton)) return undefined;
  for (const [run] of skeleton.matchAll(/([A-Za-z])\1*/g)) {
    const letter = run[0] ?? '';
    const [name, widths] = FIELDS[letter] ?? [];
    const width = widths?.[run.length - 1];
    if (name === undefined || width === undefined || !letters.includes(letter) || Object.hasOwn(options, name)) return undefined;
    options[name] = width;
    if (letter === 'h') options['hourCycle'] = 'h12';
    if (letter === 'H') options['hourCycle'] = 'h23';
  }
  return options;
}

/** Whether a skeleton shows a time of day. */
export function showsTime(skeleton: string): boolean {
  return /[jhHms]/.test(skeleton);
}
