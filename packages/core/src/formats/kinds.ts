import currencies from 'currency-codes';

/**
 * Minor units of each currency (ISO 4217, list one): the published list decides, since what a host's own tables say differs from machine
 * to machine and is not the standard. Metals, test codes and units of account have no minor unit and are left out.
 */
const MINOR_UNITS = new Map<string, number>([
  ...currencies.data.map((record) => [record.code, record.digits] as const),
  // Later amendments of the list than the data package knows (175 to 177).
  ['XCG', 2],
  ['ZWG', 2],
  // Withdrawn since 2023, and still found in data.
  ['SLL', 2],
  ['HRK', 2],
  ['ZWL', 2],
]);
for (const code of 'XAG XAU XBA XBB XBC XBD XDR XPD XPT XSU XTS XUA XXX'.split(' ')) MINOR_UNITS.delete(code);

/** Digits after the point of a currency (ISO 4217); undefined for what is no currency. */
export function minorUnits(currency: string): number | undefined {
  return MINOR_UNITS.get(currency);
}

/** Every currency code that `money` knows. */
export const CURRENCIES: readonly string[] = [...MINOR_UNITS.keys()].sort();
/** The units of ECMA-402, simple ones and "kilometer-per-hour". */
export const UNITS: readonly string[] = Intl.supportedValuesOf('unit');
const SIMPLE_UNITS = new Set(UNITS);

const FULL_DATE = /^(\d{4})-(\d\d)-(\d\d)$/;
const FULL_TIME = /^(\d\d):(\d\d):(\d\d)(?:\.\d+)?(Z|z|[+-]\d\d:\d\d)$/;
const DURATION = /^P(?!$)(?:\d{1,9}W|(?:\d{1,9}Y)?(?:\d{1,9}M)?(?:\d{1,9}D)?(?:T(?=\d)(?:\d{1,9}H)?(?:\d{1,9}M)?(?:\d{1,9}S)?)?)$/;

/** RFC 3339 5.6 full-date of a day that exists. */
export function isDate(text: string): boolean {
  const found = FULL_DATE.exec(text);
  if (found === null) return false;
  const [year, month, day] = [Number(found[1]), Number(found[2]), Number(found[3])];
  const leap = year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0);
  const days = [31, leap ? 29 : 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31][month - 1] ?? 0;
  return day >= 1 && day <= days;
}

/** RFC 3339 5.6 full-time; a leap second only where UTC can have one (5.7). */
function isTime(text: string): boolean {
  const found = FULL_TIME.exec(text);
  if (found === null) return false;
  const [hour, minute, second] = [Number(found[1]), Number(found[2]), Number(found[3])];
  const offset = offsetMinutes(found[4] ?? '');
  if (hour > 23 || minute > 59 || offset === undefined) return false;
  if (second < 60) return true;
  return second === 60 && (((hour * 60 + minute - offset) % 1440) + 1440) % 1440 === 1439;
}

/** Minutes east of UTC of an RFC 3339 time-offset; undefined for one that there is not. */
function offsetMinutes(text: string): number | undefined {
  if (text === '' || /^z$/i.test(text)) return 0;
  const [hours, minutes] = [Number(text.slice(1, 3)), Number(text.slice(4, 6))];
  if (hours > 23 || minutes > 59) return undefined;
  return (text.startsWith('-') ? -1 : 1) * (hours * 60 + minutes);
}

/** RFC 3339 5.6 date-time, with "T" between its halves. */
export function isDateTime(text: string): boolean {
  return /^.{10}[Tt]/.test(text) && isDate(text.slice(0, 10)) && isTime(text.slice(11));
}

/** RFC 3339 appendix A duration, no part of it longer than nine digits. */
export function isDuration(text: string): boolean {
  return DURATION.test(text);
}

/** E.164 with its plus sign; spaces, dots, hyphens and parentheses may stand between. */
function isPhone(text: string): boolean {
  return /^\+[1-9]\d{5,14}$/.test(text.replace(/[\s().-]/g, '')) && text.length <= 64;
}

export function isUnit(text: string): boolean {
  const [unit = '', per, ...rest] = text.split('-per-');
  return SIMPLE_UNITS.has(unit) && (per === undefined || SIMPLE_UNITS.has(per)) && rest.length === 0;
}

const COLOR_NAMES =
  /^(?:black|silver|gray|grey|white|maroon|red|purple|fuchsia|green|lime|olive|yellow|navy|blue|teal|aqua|orange|transparent|currentcolor)$/i;

const ZONES = new Map<string, boolean>();

/** A time zone of the IANA database. */
export function isZone(text: string): boolean {
  let found = ZONES.get(text);
  if (found === undefined) {
    try {
      found =
        /^[A-Za-z][A-Za-z0-9_+/-]{1,63}$/.test(text) && new Intl.DateTimeFormat('en', { timeZone: text }).resolvedOptions().timeZone !== '';
    } catch {
      found = false;
    }
    // Bounded, since the names come from data.
    if (ZONES.size < 2000) ZONES.set(text, found);
  }
  return found;
}

/** A CSS colour: hexadecimal, a basic name, or rgb() with whole numbers (CSS Color 4). */
export function isColor(text: string): boolean {
  return (
    /^#(?:[0-9a-f]{3}|[0-9a-f]{4}|[0-9a-f]{6}|[0-9a-f]{8})$/i.test(text) ||
    COLOR_NAMES.test(text) ||
    /^rgb\( ?\d{1,3} ?, ?\d{1,3} ?, ?\d{1,3} ?\)$/.test(text)
  );
}

/** A CSS length or percentage (CSS Values 4), or 0. */
export function isLength(text: string): boolean {
  return /^(?:0|-?\d{1,5}(?:\.\d{1,4})?(?:px|pt|em|rem|%|ex|ch|in|cm|mm))$/.test(text);
}

/** Formats of texts that data schemas may assert beside the usual ones, with those whose meaning we make stricter. */
export const TEXT_KINDS: Readonly<Record<string, { readonly is: (text: string) => boolean; readonly example: string }>> = {
  date: { is: isDate, example: '2026-06-04' },
  time: { is: isTime, example: '08:15:00Z' },
  'date-time': { is: isDateTime, example: '2026-06-04T08:15:00Z' },
  duration: { is: isDuration, example: 'PT1H30M' },
  currency: { is: (text) => minorUnits(text) !== undefined, example: 'EUR' },
  phone: { is: isPhone, example: '+3545551234' },
  unit: { is: isUnit, example: 'kilometer' },
  'time-zone': { is: isZone, example: 'Europe/Lisbon' },
  color: { is: isColor, example: '#0f766e' },
  length: { is: isLength, example: '12px' },
};
