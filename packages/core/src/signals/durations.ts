const DURATION = /^P(?:(\d{1,4})W)?(?:(\d{1,4})D)?(?:T(?:(\d{1,5})H)?(?:(\d{1,6})M)?(?:(\d{1,8})S)?)?$/;
const UNITS_MS = [7 * 86_400_000, 86_400_000, 3_600_000, 60_000, 1000];

/** The length of an ISO 8601 duration of weeks, days, hours, minutes and seconds; undefined for any other text. A day is 24 hours. */
export function durationMs(text: string): number | undefined {
  const found = DURATION.exec(text);
  if (found === null || /[PT]$/.test(text)) return undefined;
  return UNITS_MS.reduce((sum, ms, i) => sum + Number(found[i + 1] ?? 0) * ms, 0);
}
