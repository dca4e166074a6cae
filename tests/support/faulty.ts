import type Sqlite from 'better-sqlite3';

/** Faults that a test lets happen on the writing connection of a service. */
export interface Faults {
  /** Give it to the kernel of a service. */
  readonly instrument: (raw: Sqlite.Database) => void;
  /** The statement after so many in transactions fails; 'group' loses the whole group, as a full disk does. */
  readonly arm: (left: number, kind: 'statement' | 'group') => void;
  /** Nothing fails any more. @returns whether what was armed has not happened */
  readonly disarm: () => boolean;
}

/** Makes each statement on the writing connection count, and fail when it is its turn. */
export function faultyStatements(): Faults {
  let left = 0;
  let kind: 'statement' | 'group' = 'statement';
  let isArmed = false;

  function failing(raw: Sqlite.Database, text: string): void {
    if (!isArmed || !raw.inTransaction || /^(rollback|release)/i.test(text)) return;
    left -= 1;
    if (left !== 0) return;
    isArmed = false;
    if (kind === 'group') raw.exec('rollback');
    throw Object.assign(new Error('injected'), { code: kind === 'group' ? 'SQLITE_FULL' : 'SQLITE_IOERR_WRITE' });
  }

  return {
    instrument(raw) {
      const prepare = raw.prepare.bind(raw);
      Object.defineProperty(raw, 'prepare', {
        value: (text: string) => {
          const statement = prepare(text);
          for (const name of ['run', 'get', 'all'] as const) {
            const own: (...args: unknown[]) => unknown = statement[name].bind(statement);
            Object.defineProperty(statement, name, {
              value: (...args: unknown[]) => {
                failing(raw, text);
                return own(...args);
              },
            });
          }
          return statement;
        },
      });
    },
    arm(after, what) {
      left = after;
      kind = what;
      isArmed = true;
    },
    disarm() {
      const was = isArmed;
      isArmed = false;
      return was;
    },
  };
}
