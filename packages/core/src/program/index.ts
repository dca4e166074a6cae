export { assetHash, pictureType } from './assets.js';
export { compileFolder, compilerWith, folderCompiler, readShared, type CompiledFolder, type FolderCompiler } from './compile.js';
export type { FolderContext } from './context.js';
export { written } from './front.js';
export { readSource } from './read-source.js';
export { nodesOf } from './walk.js';
export { textOfHtml } from './text-of-html.js';
export { Names, valueOf } from './values.js';
export { type CompiledTemplate } from './template.js';
