import { previewOf, type FolderPreview } from '@verbalis/core/preview';
import type { Store } from '../store/index.js';
import { SaveFault, type Writing } from './writing.js';

/** Editions that are kept ready to be looked at. */
const MOST = 4;

/** What has been published to the spaces: read only, since an edition never changes. */
export function editionWriting(store: Store): Writing {
  const kept = new Map<string, FolderPreview>();
  return {
    folder: undefined,
    editable: false,
    now: (space, edition) => {
      const row = edition === undefined ? store.editions.current(space) : store.editions.find(space, edition);
      if (row === undefined) return undefined;
      const key = `${space}/${row.number}`;
      let preview = kept.get(key);
      if (preview === undefined) {
        preview = previewOf(store.editions.files(row));
        kept.set(key, preview);
        if (kept.size > MOST) kept.delete(kept.keys().next().value ?? '');
      }
      return { preview, edition: row.number };
    },
    onChange: () => () => undefined,
    save: () => Promise.reject(new SaveFault('An edition never changes.')),
    close: () => Promise.resolve(),
  };
}
