import { isatty } from 'node:tty';
import { stringify } from 'csv-stringify/sync';
import pc from 'picocolors';
import stringWidth from 'string-width';

/**
 * What a terminal would obey: control characters, and escape sequences but for colours. Text of others is printed, and must not move the cursor,
 * change the title or write elsewhere.
 */

const OBEYED = /\u001B(?!\[[0-9;]{0,12}m)|[\u0000-\u0008\u000B-\u001A\u001C-\u001F\u007F-\u009F]/g;

/** A text that a terminal only shows. */
function forTerminal(text: string): string {
  return text.replace(OBEYED, '');
}

/** Why a command failed, in the form of the API (RFC 9457). */
export interface Problem {
  readonly type?: string | undefined;
  readonly title: string;
  readonly detail?: string | undefined;
  readonly hint?: string | undefined;
  readonly problems?: readonly { readonly path: string; readonly message: string; readonly hint?: string | undefined }[] | undefined;
}

/** What `--json` prints: one document for each command, or for each line of a command that goes on. */
export interface Envelope {
  /** Whether the exit status is 0. */
  readonly ok: boolean;
  /** The exit status. */
  readonly status: ExitCode;
  /** What the command found or did, as the API returns it; `{ text }` where there is only text. */
  readonly result?: unknown;
  readonly problem?: Problem | undefined;
}

/** Where a command writes: results to stdout, everything else to stderr. */
export interface Output {
  /** A result for people. */
  readonly out: (text: string) => void;
  /** The result for machines, of which a command has one. */
  readonly json: (value: unknown) => void;
  /** A result in both forms: the one that is asked for is printed. */
  readonly result: (value: unknown, text: string) => void;
  /** One of many results of a command that runs until it is interrupted. Printed immediately. */
  readonly line: (value: unknown, text: string) => void;
  /** A result that is bytes, as they are; base64 for machines. */
  readonly bytes: (bytes: Uint8Array) => void;
  /** A remark on stderr; left out with --quiet. */
  readonly note: (text: string) => void;
  readonly color: ReturnType<typeof pc.createColors>;
  readonly interactive: boolean;
  /** Whether the result is printed as JSON or CSV. */
  readonly isForMachines: boolean;
}

export type Mode = 'text' | 'json' | 'csv';

/** The output of this process, with what the frame of all commands needs. */
export interface ProcessOutput extends Output {
  readonly begin: (options: { readonly mode: Mode; readonly quiet: boolean }) => void;
  /** An error on stderr, also with --quiet. */
  readonly error: (text: string) => void;
  /** Prints what was kept for the end. @throws UsageError when a CSV of something else than a list is asked for */
  readonly end: (status: ExitCode, problem?: Problem) => void;
}

export function processOutput(): ProcessOutput {
  // For a pipe it is undefined, and the library would guess then.
  const interactive = (process.stdout.isTTY as boolean | undefined) ?? false;
  let [mode, quiet, streamed]: [Mode, boolean, boolean] = ['text', false, false];
  let kept: { readonly value: unknown } | undefined;
  const texts: string[] = [];
  const write = (text: string): void => void process.stdout.write(ended(interactive ? forTerminal(text) : text));
  const error = (text: string): void => void process.stderr.write(ended(isatty(2) ? forTerminal(text) : text));
  const envelope = (content: Envelope, indent?: number): void => write(JSON.stringify(content, null, indent));
  const json = (value: unknown): void => {
    if (mode === 'text') write(JSON.stringify(value, null, 2));
    else kept = { value };
  };
  return {
    out: (text) => {
      if (mode === 'json') texts.push(text);
      else write(text);
    },
    json,
    result: (value, text) => {
      if (mode === 'text') write(text);
      else json(value);
    },
    line: (value, text) => {
      streamed = true;
      if (mode === 'text') write(text);
      else envelope({ ok: true, status: 0, result: value });
    },
    bytes: (bytes) => {
      if (mode === 'text') process.stdout.write(bytes);
      else json({ base64: Buffer.from(bytes).toString('base64') });
    },
    note: (text) => {
      if (!quiet) error(text);
    },
    error,
    begin: (options) => {
      ({ mode, quiet } = options);
    },
    end: (status, problem) => {
      if (mode === 'csv' && kept !== undefined) write(csvText(kept.value));
      if (mode !== 'json' || (streamed && status === 0)) return;
      const result = kept?.value ?? (texts.length === 0 ? undefined : { text: texts.join('\n') });
      // One line where there may be others, and where a program that reads lines waits for the first one.
      envelope({ ok: status === 0, status, result, problem }, streamed || result === undefined ? undefined : 2);
    },
    color: pc.createColors(interactive && pc.isColorSupported),
    interactive,
    get isForMachines() {
      return mode !== 'text';
    },
  };
}

const ended = (text: string): string => (text.endsWith('\n') ? text : `${text}\n`);

/** The list in a result: the result itself, or the first field that is one. */
function listIn(value: unknown): readonly unknown[] | undefined {
  if (Array.isArray(value)) return value as readonly unknown[];
  if (typeof value !== 'object' || value === null) return undefined;
  return Object.values(value).find((field): field is unknown[] => Array.isArray(field));
}

/** Fields of an object and of those in it, with their paths; lists stay as JSON. */
function flat(value: unknown, path: string, into: Record<string, string>): Record<string, string> {
  if (typeof value === 'object' && value !== null && !Array.isArray(value))
    for (const [name, inner] of Object.entries(value)) flat(inner, path === '' ? name : `${path}.${name}`, into);
  else if (value !== undefined && value !== null)
    into[path === '' ? 'value' : path] = typeof value === 'string' ? value : JSON.stringify(value);
  return into;
}

/** A list as CSV (RFC 4180): a column for each field of the API, those of nested objects as "outer.inner". @throws UsageError */
function csvText(value: unknown): string {
  const list = listIn(value);
  if (list === undefined) throw new UsageError('The result is not a list, so it cannot be printed as CSV.', 'Use --json.');
  const rows = list.map((item) => flat(item, '', {}));
  const columns = [...new Set(rows.flatMap((row) => Object.keys(row)))];
  // A cell that a spreadsheet would compute is written as a text.
  return rows.length === 0 ? '' : stringify(rows, { header: true, columns, escape_formulas: true, record_delimiter: 'windows' });
}

export interface Column {
  readonly title: string;
  readonly right?: boolean;
}

/** Aligned columns; the last one is not padded. Colours do not count for the width. */
export function tableText(columns: readonly Column[], rows: readonly (readonly string[])[], color: Output['color']): string {
  const widths = columns.map((column, c) =>
    rows.reduce((widest, row) => Math.max(widest, stringWidth(row[c] ?? '')), stringWidth(column.title)),
  );
  const line = (cells: readonly string[]): string =>
    cells
      .map((cell, c) => {
        const space = ' '.repeat(Math.max(0, (widths[c] ?? 0) - stringWidth(cell)));
        return columns[c]?.right === true ? space + cell : c === columns.length - 1 ? cell : cell + space;
      })
      .join('  ')
      .trimEnd();
  return [color.dim(line(columns.map((column) => column.title))), ...rows.map(line)].join('\n');
}

/**
 * The exit status of a command: 0 done; 1 the answer is no (a check failed, a delivery failed, nothing arrived); 2 wrong usage or configuration;
 * 3 the service could not be reached; 4 the service refused the request; 70 an internal error (EX_SOFTWARE of sysexits.h).
 */
export type ExitCode = 0 | 1 | 2 | 3 | 4 | 70;
/** The exit status after Ctrl+C, as shells have it. */
export const INTERRUPTED = 130;

/** A command that was used wrongly. */
export class UsageError extends Error {
  override name = 'UsageError';
  constructor(
    message: string,
    readonly hint?: string,
  ) {
    super(message);
  }
}
