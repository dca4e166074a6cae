import { existsSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { dirname, join, relative, sep } from 'node:path';
import { openFolder, type EditedFolder } from '@verbalis/core/editing';
import { readMailFolder, watchMailFolder } from '@verbalis/service/mail-folder';

/** The mail folder that a file is in: the nearest folder above it that holds mail.yaml. Undefined for a file outside of all. */
export function rootOf(file: string): string | undefined {
  for (let at = dirname(file); ; at = dirname(at)) {
    if (existsSync(join(at, 'mail.yaml'))) return at;
    if (dirname(at) === at) return undefined;
  }
}

/** A mail folder on the disk, with the texts of an editor in place of those that are open in it. */
export class OpenFolder {
  readonly #disk: Map<string, Uint8Array>;
  readonly #typed = new Map<string, Uint8Array>();
  /** Which reading of a file is the last. */
  readonly #reads = new Map<string, number>();
  #edited: EditedFolder | undefined;
  /** Counts changes. */
  version = 0;

  private constructor(
    readonly root: string,
    files: ReadonlyMap<string, Uint8Array>,
  ) {
    this.#disk = new Map(files);
  }

  /** @param changed is called after each change on the disk @throws StartError when the folder cannot be read */
  static async at(root: string, changed: () => void): Promise<OpenFolder> {
    const folder = new OpenFolder(root, await readMailFolder(root));
    await watchMailFolder(root, (path) => {
      void folder.#read(path).then(changed);
    });
    return folder;
  }

  async #read(path: string): Promise<void> {
    const turn = (this.#reads.get(path) ?? 0) + 1;
    this.#reads.set(path, turn);
    // It has been removed, or is being replaced: then there is another change.
    const bytes = await readFile(join(this.root, path)).catch(() => undefined);
    // Changed again meanwhile: that reading counts, whichever ends first.
    if (this.#reads.get(path) !== turn) return;
    this.#reads.delete(path);
    if (bytes === undefined) this.#disk.delete(path);
    else this.#disk.set(path, bytes);
    this.#change();
  }

  #change(): void {
    this.version += 1;
    this.#isStale = true;
  }
  #isStale = true;

  /** A file's path in the folder, with "/" between. */
  pathOf(file: string): string {
    return relative(this.root, file).split(sep).join('/');
  }

  /** The text that an editor has of a file; undefined once it is closed. */
  type(path: string, text: string | undefined): void {
    if (text === undefined) this.#typed.delete(path);
    else this.#typed.set(path, new TextEncoder().encode(text));
    this.#change();
  }

  /** The folder as it is now. */
  get now(): EditedFolder {
    if (this.#edited === undefined || this.#isStale) {
      this.#edited = openFolder(new Map([...this.#disk, ...this.#typed]), this.#edited);
      this.#isStale = false;
    }
    return this.#edited;
  }
}
