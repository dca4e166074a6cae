import { randomUUID } from 'node:crypto';
import { closeSync, openSync, readSync, unlinkSync, writeSync } from 'node:fs';
import { join } from 'node:path';

/** What is kept in memory of one email that is coming in, in bytes; the rest goes to the disk. */
const IN_MEMORY = 32 * 1024;

/**
 * The content of an email while it comes in: most are small and stay in memory, a large one goes through a file that has no name. It is written at
 * once: a piece that waits for the disk would be held with all that was read with it, and many connections wait for the same disk.
 */
export class Spool {
  #pieces: Buffer[] = [];
  #held = 0;
  #size = 0;
  #file: number | undefined;

  /** @param folder where large ones are written; undefined keeps them in memory */
  constructor(private readonly folder: string | undefined) {}

  /** Adds a piece. @throws when it cannot be written */
  add(piece: Buffer): void {
    this.#size += piece.length;
    this.#held += piece.length;
    // A copy: a small piece would keep the whole buffer that it was read into.
    this.#pieces.push(Buffer.from(piece));
    if (this.#held > IN_MEMORY && this.folder !== undefined) this.#write(this.folder);
  }

  #write(folder: string): void {
    this.#file ??= nameless(folder);
    const whole = Buffer.concat(this.#pieces);
    this.#pieces = [];
    this.#held = 0;
    for (let at = 0; at < whole.length;) at += writeSync(this.#file, whole, at);
  }

  /** All of it, in one piece. */
  bytes(): Buffer {
    const rest = Buffer.concat(this.#pieces);
    if (this.#file === undefined) return rest;
    const whole = Buffer.alloc(this.#size);
    const written = this.#size - rest.length;
    for (let at = 0; at < written;) {
      const count = readSync(this.#file, whole, at, written - at, at);
      if (count === 0) throw new Error('The file of an email that comes in has become shorter.');
      at += count;
    }
    rest.copy(whole, written);
    return whole;
  }

  /** Forgets it. */
  discard(): void {
    if (this.#file !== undefined) closeSync(this.#file);
    this.#pieces = [];
    this.#held = 0;
    this.#size = 0;
    this.#file = undefined;
  }
}

/** A file that is gone when its process is, however that ends. */
function nameless(folder: string): number {
  const path = join(folder, `incoming-${randomUUID()}`);
  const file = openSync(path, 'wx+', 0o600);
  unlinkSync(path);
  return file;
}
