/** A finite number as an exact decimal: `units` times ten to the power of `-digits`. The shortest decimal that reads back as the number counts. */
interface Decimal {
  readonly units: bigint;
  readonly digits: number;
}

/** How halves are rounded. `half-even`: to the even neighbour, so that many sums keep their balance (IEEE 754, 4.3.1). */
export const ROUNDINGS = ['half-even', 'half-up', 'up', 'down'] as const;
export type Rounding = (typeof ROUNDINGS)[number];

/** 0.19 is nineteen hundredths, and not the double that is nearest to them. */
function decimalOf(value: number): Decimal {
  const [, sign = '', whole = '0', fraction = '', exponent = '0'] = /^(-?)(\d+)(?:\.(\d+))?(?:e([+-]\d+))?$/.exec(String(value)) ?? [];
  const units = BigInt(`${sign}${whole}${fraction}`);
  const digits = fraction.length - Number(exponent);
  return digits < 0 ? { units: units * 10n ** BigInt(-digits), digits: 0 } : { units, digits };
}

/** The whole number that a fraction is rounded to. `half-up` and `up` go away from 0, `down` goes to it. @param by not 0 */
function roundedRatio(value: bigint, by: bigint, rounding: Rounding): bigint {
  const isNegative = value < 0n !== by < 0n;
  const [top, bottom] = [value < 0n ? -value : value, by < 0n ? -by : by];
  const whole = top / bottom;
  const rest = top % bottom;
  const half = rest * 2n - bottom;
  const goesOn = {
    'half-even': half > 0n || (half === 0n && whole % 2n === 1n),
    'half-up': half >= 0n,
    up: rest > 0n,
    down: false,
  }[rounding];
  const size = whole + (goesOn ? 1n : 0n);
  return isNegative ? -size : size;
}

/** As a number; what no double can hold ends at the largest. */
function numberOf(value: bigint): number {
  const found = Number(value);
  return Number.isFinite(found) ? found : Math.sign(found) * Number.MAX_VALUE;
}

/** A number times another, rounded once. */
export function timesExactly(value: number, rate: number, rounding: Rounding): number {
  const [a, b] = [decimalOf(value), decimalOf(rate)];
  return numberOf(roundedRatio(a.units * b.units, 10n ** BigInt(a.digits + b.digits), rounding));
}

/** A number divided by another, rounded once. @returns undefined for a division by 0 */
export function overExactly(value: number, by: number, rounding: Rounding): number | undefined {
  const [a, b] = [decimalOf(value), decimalOf(by)];
  if (b.units === 0n) return undefined;
  return numberOf(roundedRatio(a.units * 10n ** BigInt(b.digits), b.units * 10n ** BigInt(a.digits), rounding));
}

/** A number rounded to so many digits after the point; with -3, to thousands. */
export function roundedTo(value: number, digits: number, rounding: Rounding): number {
  const { units, digits: has } = decimalOf(value);
  if (has <= digits) return value;
  const rounded = roundedRatio(units, 10n ** BigInt(has - digits), rounding);
  if (digits < 0) return numberOf(rounded * 10n ** BigInt(-digits));
  const text = String(rounded < 0n ? -rounded : rounded).padStart(digits + 1, '0');
  const whole = text.slice(0, text.length - digits);
  return Number(`${rounded < 0n ? '-' : ''}${whole}${digits === 0 ? '' : `.${text.slice(-digits)}`}`);
}

/**
 * Divides a whole amount by weights so that the parts add up to it: each gets its share rounded down, and what is left goes to those who lost
 * most, the first of equals first. Negative weights count as 0; where all are 0, the shares are equal.
 */
export function splitExactly(amount: number, weights: readonly number[]): number[] {
  if (weights.length === 0) return [];
  const given = weights.map((weight) => decimalOf(Math.max(0, weight)));
  const digits = Math.max(...given.map((weight) => weight.digits));
  const scaled = given.map((weight) => weight.units * 10n ** BigInt(digits - weight.digits));
  const sum = scaled.reduce((so, weight) => so + weight, 0n);
  const shares = sum === 0n ? scaled.map(() => 1n) : scaled;
  const all = sum === 0n ? BigInt(weights.length) : sum;
  const whole = BigInt(amount);
  const [size, sign] = whole < 0n ? [-whole, -1n] : [whole, 1n];
  const parts = shares.map((share, i) => ({ i, part: (size * share) / all, lost: (size * share) % all }));
  let left = size - parts.reduce((so, { part }) => so + part, 0n);
  for (const one of [...parts].sort((a, b) => (a.lost === b.lost ? a.i - b.i : a.lost > b.lost ? -1 : 1))) {
    if (left === 0n) break;
    one.part += 1n;
    left -= 1n;
  }
  return parts.map(({ part }) => numberOf(sign * part));
}
