import * as z from 'zod';

// Fields of the API that several features have.

export const oneLine = (most: number) =>
  z
    .string()
    .max(most, `must have at most ${most} characters`)
    .refine((text) => !/[\u0000-\u001F\u007F\u2028\u2029]/.test(text), 'must not hold line breaks or control characters');

/** How many entries a page has. */
export const Limit = z.coerce.number().int().min(1).max(200).default(50);

/** Where a page of a list begins that is sorted by ids. */
export const IdCursor = z
  .string()
  .regex(/^[a-z][0-9a-hjkmnp-tv-z]{26}$/, 'is not the nextCursor of a page')
  .optional()
  .meta({ description: 'nextCursor of the page before.' });

/** Where a page of a list begins that is sorted by numbers: the number in base 36. */
export const NumberCursor = z
  .string()
  .regex(/^[0-9a-z]{1,10}$/, 'is not the nextCursor of a page')
  .transform((text) => Number.parseInt(text, 36))
  .optional()
  .meta({ description: 'nextCursor of the page before.' });
export const numberCursor = (n: number): string => n.toString(36);

/** A page of a list, from one row more than it shows. @param cursorOf of the last row that is shown */
export function pageOf<R>(
  rows: readonly R[],
  limit: number,
  cursorOf: (row: R) => string,
): { rows: readonly R[]; nextCursor: string | undefined } {
  const shown = rows.slice(0, limit);
  const last = shown.at(-1);
  return { rows: shown, nextCursor: rows.length > limit && last !== undefined ? cursorOf(last) : undefined };
}

/** Milliseconds since the epoch as RFC 3339 text, in UTC. */
export function instant(at: number): string {
  return new Date(at).toISOString();
}

/** The same; undefined where there is none. */
export function optionalInstant(at: number | null | undefined): string | undefined {
  return at === null || at === undefined ? undefined : instant(at);
}

/** One fault of a request. */
export const RequestFault = z
  .strictObject({ path: z.string(), message: z.string(), hint: z.string().optional() })
  .meta({ id: 'RequestFault' });

export const Problem = z
  .strictObject({
    type: z.string(),
    title: z.string(),
    status: z.int(),
    detail: z.string().optional(),
    hint: z.string().optional(),
    problems: z.array(RequestFault).optional(),
  })
  .meta({ id: 'Problem', description: 'RFC 9457, with all errors.' });

export const Time = z.iso.datetime({ offset: true });
