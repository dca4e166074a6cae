import type { FolderView, FolderViews } from './view.js';

/** Makes views of folders with texts laid over them; the last one is kept, since a page renders the same edits several times. */
export function editedViews(views: FolderViews): (view: FolderView, edits: Readonly<Record<string, string>>) => FolderView {
  let kept: { readonly on: FolderView; readonly key: string; readonly view: FolderView } | undefined;
  return (on, edits) => {
    const key = JSON.stringify(edits);
    if (kept?.on !== on || kept.key !== key) {
      const files = new Map(on.files);
      for (const [path, text] of Object.entries(edits)) files.set(path, Buffer.from(text));
      kept = { on, key, view: views.open(files, on) };
    }
    return kept.view;
  };
}
