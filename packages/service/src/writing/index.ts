export { editionWriting } from './editions.js';
export { folderWriting } from './folder.js';
export { SaveFault, type Writing, type WritingNow } from './writing.js';
