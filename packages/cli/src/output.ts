import { isatty } from 'node:tty';
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

/** Where a command writes: results to stdout, everything else to stderr. */
export interface Output {
  readonly out: (text: string) => void;
  readonly note: (text: string) => void;
  readonly color: ReturnType<typeof pc.createColors>;
  readonly interactive: boolean;
}

export function processOutput(): Output {
  // Not process.stdout.isTTY: it is undefined for a pipe, and the library would guess then.
  const interactive = isatty(1);
  return {
    out: (text) => process.stdout.write(ended(interactive ? forTerminal(text) : text)),
    note: (text) => process.stderr.write(ended(isatty(2) ? forTerminal(text) : text)),
    color: pc.createColors(interactive && pc.isColorSupported),
    interactive,
  };
}

const ended = (text: string): string => (text.endsWith('\n') ? text : `${text}\n`);

export interface Column {
  readonly title: string;
  readonly right?: boolean;
}

/** Aligned columns; the last one is not padded. Colours do not count for the width. */
export function tableText(columns: readonly Column[], rows: readonly (readonly string[])[], color: Output['color']): string {
  const widths = columns.map((column, c) => Math.max(stringWidth(column.title), ...rows.map((row) => stringWidth(row[c] ?? ''))));
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

/** What a command ends with: 0 done, 1 the answer is no, 2 wrong use, 3 the service could not be reached. */
export type ExitCode = 0 | 1 | 2 | 3;

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
