export { editionWriting } from './editions.js';
export { folderWriting } from './folder.js';
export { folderViews, type FolderView, type Shown, type Wish } from './view.js';
export { SaveFault, type Writing, type WritingNow } from './writing.js';
