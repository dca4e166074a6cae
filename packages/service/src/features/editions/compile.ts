import { createHash } from 'node:crypto';
import { LRUCache } from 'lru-cache';
import type { MailFiles } from '@verbalis/core/folder';
import type { CompiledFolder } from '@verbalis/core/program';
import { boundedThread, threadFile } from '../../kernel/thread.js';

/** What came of compiling a mail folder. */
export interface CompileResult {
  readonly compiled: CompiledFolder;
  /** Described with their places; absent where there are none. */
  readonly errors?: readonly string[];
}

/** Compiling and checking a mail folder takes at most so long, and so much memory. */
const [LIMIT_MS, MEMORY_MB] = [30_000, 512];
/** How long the thread is kept when nothing is compiled. */
const IDLE_MS = 5000;

export type MailFolderCompiler = ReturnType<typeof mailFolderCompiler>;

/** Results that are remembered: spaces often share a folder. */
const REMEMBERED = 4;

/** Compiles mail folders beside the event loop: no folder that is published stops the service, whatever is in it. */
export function mailFolderCompiler(limits: { readonly limitMs?: number; readonly memoryMb?: number } = {}) {
  const thread = boundedThread(threadFile(import.meta.url, './compile-thread.js'), {
    name: 'compiler',
    memoryMb: limits.memoryMb ?? MEMORY_MB,
    limitMs: limits.limitMs ?? LIMIT_MS,
    idleMs: IDLE_MS,
  });
  const known = new LRUCache<string, Promise<CompileResult>>({ max: REMEMBERED });
  return {
    /** @throws ThreadFault when it is past its bounds */
    compile(files: MailFiles): Promise<CompileResult> {
      const hash = createHash('sha256');
      for (const [path, bytes] of files) hash.update(`${path}\0${bytes.length}\0`).update(bytes);
      const key = hash.digest('hex');
      let result = known.get(key);
      if (result === undefined) {
        result = thread.call<CompileResult>('compile', files);
        known.set(key, result);
        result.catch(() => known.delete(key));
      }
      return result;
    },
    stop: thread.stop,
  };
}

let shared: MailFolderCompiler | undefined;

/** The compiler of this process: one thread for all of its users. */
export function sharedCompiler(): MailFolderCompiler {
  return (shared ??= mailFolderCompiler());
}
