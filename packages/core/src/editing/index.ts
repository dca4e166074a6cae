export { complete } from './complete.js';
export { type Completion } from './completion.js';
export { definitions } from './definition.js';
export { describe, type Description } from './describe.js';
export { applied, problemsOfSending, type Edit, type Refused } from './edits.js';
export { openFolder, type EditedFolder } from './folder.js';
export { rename, renameableAt, type Renameable } from './rename.js';
export { formatSource } from './format.js';
export { fileSchemas, type FileSchema } from './file-schemas.js';
