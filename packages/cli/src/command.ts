import type { Command } from 'commander';
import type { connect } from './connection.js';
import type { ExitCode, Output } from './output.js';

// Each command's code is loaded when it is called: most need little of the whole.
export type Action = (output: Output) => Promise<ExitCode>;

/** What every part of the command line is made with. */
export interface Making {
  readonly run: (action: Action) => Promise<void>;
  /** Adds the options that say where the service is. */
  readonly remote: (command: Command) => Command;
  /** Adds examples to its help. */
  readonly example: (command: Command, ...lines: string[]) => Command;
}

export type Remote = { json?: boolean } & Parameters<typeof connect>[0];

/** Options of a command, without those that say where the service is. */
export function only<O extends Remote>(options: O): Omit<O, 'url' | 'key' | 'keyFile' | 'space'> {
  const apart = new Set(['url', 'key', 'keyFile', 'space']);
  return Object.fromEntries(Object.entries(options).filter(([name]) => !apart.has(name))) as Omit<O, 'url' | 'key' | 'keyFile' | 'space'>;
}

/** Adds the commands of a feature. */
export type Define = (root: Command, making: Making) => void;
