/** Where something is in a source file. Lines and columns count from 1; offsets count UTF-16 units from 0. */
export interface Place {
  readonly file: string;
  readonly line: number;
  readonly column: number;
  readonly offset: number;
  readonly length: number;
}

export type Severity = 'error' | 'warning' | 'suggestion';

/** Something wrong or doubtful in a mail folder, as a value: it is collected, never thrown. */
export interface Problem {
  readonly code: string;
  readonly severity: Severity;
  readonly message: string;
  readonly hint?: string;
  readonly place: Place;
}

export function problem(code: string, place: Place, message: string, hint?: string): Problem {
  return hint === undefined ? { code, severity: 'error', message, place } : { code, severity: 'error', message, hint, place };
}

export function warning(code: string, place: Place, message: string, hint?: string): Problem {
  return { ...problem(code, place, message, hint), severity: 'warning' };
}

export function suggestion(code: string, place: Place, message: string, hint?: string): Problem {
  return { ...problem(code, place, message, hint), severity: 'suggestion' };
}

/** In the order a reader meets them: by file, then position; the same fault reported twice is kept once. */
export function inReadingOrder(problems: readonly Problem[]): Problem[] {
  const seen = new Set<string>();
  return [...problems]
    .sort((a, b) => a.place.file.localeCompare(b.place.file) || a.place.offset - b.place.offset)
    .filter(({ place, code, message }) => {
      const key = `${place.file}\0${place.offset}\0${code}\0${message}`;
      return !seen.has(key) && seen.add(key);
    });
}

export function hasErrors(problems: readonly Problem[]): boolean {
  return problems.some(({ severity }) => severity === 'error');
}
