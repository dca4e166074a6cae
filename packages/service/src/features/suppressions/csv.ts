import { isFault, parseAddress, addressText } from '@verbalis/core/mime';
import { CAUSES, SUPPRESSION_REASONS, type Cause, type SuppressionReason } from '@verbalis/core/delivery';
import { parse } from 'csv-parse/sync';
import { stringify } from 'csv-stringify/sync';
import type { SuppressionRow } from './queries.js';

const COLUMNS = ['address', 'topic', 'reason', 'cause', 'evidence', 'since', 'note'] as const;

/** One line of an import: what is to be suppressed, or what is wrong with it. */
export type CsvLine =
  | {
      readonly line: number;
      readonly address: string;
      readonly topic: string;
      readonly reason: SuppressionReason;
      readonly cause: Cause | null;
      readonly evidence: string | null;
      readonly note: string | null;
      readonly since: number | undefined;
    }
  | { readonly line: number; readonly problem: string };

/** Reads CSV (RFC 4180) with a header line; only `address` must be there. A line that cannot be taken does not stop the others. */
export function readSuppressions(text: string): CsvLine[] {
  let rows: { record: Record<string, string>; info: { lines: number } }[];
  try {
    rows = parse(text, {
      bom: true,
      columns: (names: string[]) => names.map((name) => name.trim().toLowerCase()),
      skip_empty_lines: true,
      relax_column_count: true,
      trim: true,
      info: true,
    }) as unknown as typeof rows;
  } catch (error) {
    return [{ line: 1, problem: error instanceof Error ? error.message : 'is no CSV' }];
  }
  if (rows.length > 0 && rows[0]?.record['address'] === undefined)
    return [{ line: 1, problem: `has no column "address"; known columns: ${COLUMNS.join(', ')}` }];
  return rows.map(({ record, info }): CsvLine => {
    const line = info.lines;
    // The apostrophe that keeps table programs from calculating.
    const address = parseAddress((record['address'] ?? '').replace(/^'(?=[=+@-])/, ''));
    if (isFault(address)) return { line, problem: `"${record['address'] ?? ''}" ${address.fault}` };
    const reason = record['reason'] === undefined || record['reason'] === '' ? 'imported' : record['reason'];
    if (!(SUPPRESSION_REASONS as readonly string[]).includes(reason))
      return { line, problem: `"${reason}" is no reason; there are: ${SUPPRESSION_REASONS.join(', ')}` };
    const cause = record['cause'] === undefined || record['cause'] === '' ? null : record['cause'];
    if (cause !== null && !(CAUSES as readonly string[]).includes(cause)) return { line, problem: `"${cause}" is no cause` };
    const since = record['since'] === undefined || record['since'] === '' ? undefined : Date.parse(record['since']);
    if (since !== undefined && Number.isNaN(since)) return { line, problem: `"${record['since'] ?? ''}" is not a valid time` };
    return {
      line,
      address: addressText(address),
      topic: record['topic'] ?? '',
      reason: reason as SuppressionReason,
      cause: cause as Cause | null,
      evidence: record['evidence'] ?? null,
      note: record['note'] ?? null,
      since,
    };
  });
}

/** Writes CSV that can be read again; what a table program would take for a formula is quoted with an apostrophe. */
export function writeSuppressions(rows: readonly SuppressionRow[]): string {
  return stringify(
    rows.map((row) => [
      row.address,
      row.topic,
      row.reason,
      row.cause ?? '',
      row.evidence ?? '',
      new Date(row.createdAt).toISOString(),
      row.note ?? '',
    ]),
    { header: true, columns: [...COLUMNS], escape_formulas: true, record_delimiter: 'windows' },
  );
}
