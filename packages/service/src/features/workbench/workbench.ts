import { Refusal } from '../../kernel/index.js';
import type { FolderView } from './view.js';

/** A mail folder as it is at the moment. */
export interface WorkbenchNow {
  readonly view: FolderView;
  /** Where it is an edition. */
  readonly edition: number | undefined;
}

/** Where the mail folder comes from that the step Write shows. */
export interface Workbench {
  /** The folder on the disk, where it is one. */
  readonly folder: string | undefined;
  readonly editable: boolean;
  /** Undefined where there is none: no such edition, or none yet. */
  readonly now: (space: string, edition: number | undefined) => WorkbenchNow | undefined;
  /** The folder with texts laid over it that are not saved. */
  readonly withEdits: (view: FolderView, edits: Readonly<Record<string, string>>) => FolderView;
  /** Is called with the paths that have changed, or with none when more is known of the same files. @returns a function that ends it */
  readonly onChange: (listener: (paths: readonly string[]) => void) => () => void;
  /** Writes a file whose text was `was`; an empty `was` makes a new one. @throws Refusal */
  readonly save: (path: string, text: string, was: string) => Promise<void>;
  readonly close: () => Promise<void>;
}

/** A source file that was not written. */
export function notSaved(detail: string): Refusal {
  return new Refusal(409, 'not-saved', 'The file was not saved', { detail });
}
