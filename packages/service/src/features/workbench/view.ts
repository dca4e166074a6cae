import { randomUUID } from 'node:crypto';
import type { MailFiles } from '@verbalis/core/folder';
import type { MailPreview, RenderOptions, TemplateState } from '@verbalis/core/preview';
import type { Problem } from '@verbalis/core/problems';
import type { DataProblem, JsonSchema } from '@verbalis/core/typing';
import { boundedThread, threadFile } from '../../kernel/thread.js';

/** A folder at a glance. */
export interface Overview {
  /** Of the folder and of what its templates share. */
  readonly problems: readonly Problem[];
  /** In the order of the names; undefined for a template that was not looked at yet. */
  readonly states: readonly (TemplateState | undefined)[];
}

export interface TemplateData {
  readonly samples: readonly (readonly [name: string, data: unknown])[];
  readonly schema: JsonSchema;
}

/** An email that was rendered, or why there is none. */
export interface Shown {
  readonly mail: MailPreview | undefined;
  readonly dataProblems: readonly DataProblem[];
  readonly problems: readonly Problem[];
}

export type Wish = Omit<RenderOptions, 'now'>;

/** What the thread can be asked about a folder. `now`: milliseconds since the epoch. */
export interface ViewCalls {
  readonly overview: { readonly input: { readonly all: boolean; readonly now: number }; readonly output: Overview };
  readonly state: { readonly input: { readonly name: string; readonly now: number }; readonly output: TemplateState | undefined };
  readonly data: { readonly input: { readonly name: string }; readonly output: TemplateData | undefined };
  /** @param advice whether every sample is looked at; otherwise there is advice only where that was done before */
  readonly render: {
    readonly input: { readonly name: string; readonly wish: Wish; readonly advice: boolean; readonly now: number };
    readonly output: Shown;
  };
  /** Looks at templates that nobody has asked for yet, for so many milliseconds. Whether there are more. */
  readonly look: { readonly input: { readonly forMs: number; readonly now: number }; readonly output: boolean };
}

/** A mail folder that is looked at. Reading, compiling and rendering it happens in a thread, within bounds of time and memory. */
export interface FolderView {
  readonly files: MailFiles;
  /** All templates, also those that cannot be compiled. */
  readonly names: readonly string[];
  /** @throws ThreadFault past the bounds */
  readonly ask: <M extends keyof ViewCalls>(method: M, input: ViewCalls[M]['input']) => Promise<ViewCalls[M]['output']>;
}

export interface FolderViews {
  /** @param before the same folder before a change: what has not changed is not read again */
  readonly open: (files: MailFiles, before?: FolderView) => FolderView;
  readonly stop: () => Promise<void>;
}

/** What one look at a folder may take. */
const [LIMIT_MS, MEMORY_MB] = [20_000, 512];
/** How long the thread is kept when nobody looks. */
const IDLE_MS = 120_000;

/** Looks at mail folders beside the event loop: whatever is in them, the service goes on. */
export function folderViews(limits: { readonly limitMs?: number; readonly memoryMb?: number } = {}): FolderViews {
  const thread = boundedThread(threadFile(import.meta.url, './view-thread.js'), {
    name: 'preview',
    memoryMb: limits.memoryMb ?? MEMORY_MB,
    limitMs: limits.limitMs ?? LIMIT_MS,
    idleMs: IDLE_MS,
  });
  const keys = new WeakMap<FolderView, string>();

  function open(files: MailFiles, before?: FolderView): FolderView {
    const key = randomUUID();
    const base = before === undefined ? undefined : keys.get(before);
    let opened: Promise<unknown> | undefined;
    const read = async (): Promise<void> => {
      if (
        base !== undefined &&
        before !== undefined &&
        (await thread.call<boolean>('open', { key, base, files: changesOf(before.files, files) }))
      )
        return;
      await thread.call('open', { key, base: undefined, files });
    };
    const view: FolderView = {
      files,
      names: namesOf(files),
      ask: async (method, input) => {
        opened ??= read();
        await opened.catch((error: unknown) => {
          // The next who asks tries again: the folder may have been another's turn too long.
          opened = undefined;
          throw error;
        });
        type Answer = { readonly value: ViewCalls[typeof method]['output'] } | undefined;
        let answer = await thread.call<Answer>('ask', { key, method, input });
        if (answer === undefined) {
          // The thread was replaced meanwhile, or keeps others.
          await thread.call('open', { key, base: undefined, files });
          answer = await thread.call<Answer>('ask', { key, method, input });
        }
        return answer?.value;
      },
    };
    keys.set(view, key);
    return view;
  }

  return { open, stop: thread.stop };
}

function namesOf(files: MailFiles): string[] {
  const names = new Set<string>();
  for (const path of files.keys()) {
    const name = /^templates\/([^/]+)\/./.exec(path)?.[1];
    if (name !== undefined) names.add(name);
  }
  return [...names].sort((a, b) => a.localeCompare(b));
}

/** The files that are new or other, and undefined for those that are gone. */
function changesOf(before: MailFiles, after: MailFiles): Map<string, Uint8Array | undefined> {
  const out = new Map<string, Uint8Array | undefined>();
  for (const [path, bytes] of after) if (before.get(path) !== bytes) out.set(path, bytes);
  for (const path of before.keys()) if (!after.has(path)) out.set(path, undefined);
  return out;
}
