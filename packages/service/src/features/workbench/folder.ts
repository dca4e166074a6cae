import { mkdir, readFile, rename, writeFile } from 'node:fs/promises';
import { dirname, join, resolve } from 'node:path';
import type { Clock } from '../../kernel/index.js';
import { readMailFolder, watchMailFolder } from '../mail-folder/index.js';
import { editedViews } from './edits.js';
import { folderViews, type FolderView } from './view.js';
import { notSaved, type Workbench } from './workbench.js';

/** Changes that come together are one: an editor writes a file in several steps. In milliseconds. */
const TOGETHER_MS = 12;
/** Templates are looked at in the background for so long at a time, with as long a rest after it, so that nobody waits for it. In milliseconds. */
const TURN_MS = 15;
/** Before that begins: what is open comes first. In milliseconds. */
const FIRST_MS = 800;
/** Between two words about how far that is, in milliseconds. */
const NOTIFY_EVERY_MS = 250;

/** A mail folder on the disk that is being edited: what is saved is seen at once. @throws StartError */
export async function folderWorkbench(
  path: string,
  { editable, clock }: { readonly editable: boolean; readonly clock: Clock },
): Promise<Workbench> {
  const folder = resolve(path);
  let files = await readMailFolder(folder);
  const views = folderViews();
  let view: FolderView = views.open(files);
  // Read while the page is on its way.
  view.ask('look', { forMs: 0, now: clock.now() }).catch(() => undefined);
  const listeners = new Set<(paths: readonly string[]) => void>();
  const notify = (paths: readonly string[]): void => {
    for (const listener of [...listeners]) listener(paths);
  };

  const changed = new Set<string>();
  let timer: NodeJS.Timeout | undefined;
  async function take(): Promise<void> {
    timer = undefined;
    const paths = [...changed];
    changed.clear();
    const next = new Map(files);
    for (const name of paths) {
      try {
        next.set(name, await readFile(join(folder, name)));
      } catch {
        next.delete(name);
      }
    }
    const same = paths.every(
      (name) =>
        Buffer.compare(Buffer.from(files.get(name) ?? ''), Buffer.from(next.get(name) ?? '')) === 0 && files.has(name) === next.has(name),
    );
    if (same) return;
    files = next;
    view = views.open(files, view);
    notify(paths);
    lookAtRest(FIRST_MS);
  }
  const note = (name: string): void => {
    changed.add(name);
    timer ??= setTimeout(() => void take(), TOGETHER_MS);
  };

  let looking: NodeJS.Timeout | undefined;
  let notifiedAt = 0;
  let closed = false;
  /** Looks at templates that nobody has asked for yet, a few at a time. */
  function lookAtRest(after = 0): void {
    if (looking !== undefined) return;
    const step = async (): Promise<void> => {
      const at = view;
      // A folder that exceeds its bounds is reported to callers; here is no caller.
      const more = await at.ask('look', { forMs: TURN_MS, now: clock.now() }).catch(() => false);
      looking = undefined;
      if (closed) return;
      if (at !== view) {
        lookAtRest(FIRST_MS);
        return;
      }
      if (!more || performance.now() - notifiedAt > NOTIFY_EVERY_MS) {
        notifiedAt = performance.now();
        notify([]);
      }
      if (more) looking = setTimeout(() => void step(), TURN_MS);
    };
    looking = setTimeout(() => void step(), after);
  }

  const unwatch = await watchMailFolder(folder, note);
  lookAtRest(FIRST_MS);

  return {
    folder,
    editable,
    now: () => ({ view, edition: undefined }),
    withEdits: editedViews(views),
    onChange: (listener) => {
      listeners.add(listener);
      return () => {
        listeners.delete(listener);
      };
    },
    save: async (name, text, was) => {
      if (!editable) throw notSaved('The preview was started without --edit, so it writes nothing.');
      if (!/\.(?:md|html|txt|json|css|yaml)$/.test(name) || name.split('/').some((part) => part === '' || part.startsWith('.')))
        throw notSaved(`"${name}" is no source of a mail folder.`);
      const before = files.get(name);
      const now = before === undefined ? '' : Buffer.from(before).toString('utf8');
      if (now !== was) throw notSaved(`${name} has changed on the disk in the meantime.`);
      const file = join(folder, name);
      await mkdir(dirname(file), { recursive: true });
      // Readers see the old text or the new one, never half of it.
      const temporary = join(dirname(file), `.${String(process.pid)}-${Date.now().toString(36)}.saving`);
      await writeFile(temporary, text);
      await rename(temporary, file);
      note(file);
    },
    close: async () => {
      closed = true;
      clearTimeout(timer);
      clearTimeout(looking);
      await Promise.all([unwatch(), views.stop()]);
    },
  };
}
