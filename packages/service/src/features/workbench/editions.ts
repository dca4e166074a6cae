import { LRUCache } from 'lru-cache';
import type { Store } from './store.js';
import { editedViews } from './edits.js';
import { folderViews, type FolderView } from './view.js';
import { notSaved, type Workbench } from './workbench.js';

/** Editions that are kept ready to be looked at. */
const MOST = 4;

/** What has been published to the spaces: read only, since an edition never changes. */
export function editionWorkbench(store: Store, views = folderViews()): Workbench {
  const kept = new LRUCache<string, FolderView>({ max: MOST });
  return {
    folder: undefined,
    editable: false,
    now: (space, edition) => {
      const row = edition === undefined ? store.editions.current(space) : store.editions.find(space, edition);
      if (row === undefined) return undefined;
      const key = `${space}/${row.number}`;
      let view = kept.get(key);
      if (view === undefined) kept.set(key, (view = views.open(store.editions.files(row))));
      return { view, edition: row.number };
    },
    withEdits: editedViews(views),
    onChange: () => () => undefined,
    save: () => Promise.reject(notSaved('An edition never changes.')),
    close: views.stop,
  };
}
