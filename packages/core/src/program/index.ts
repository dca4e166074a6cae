export { assetHash, pictureType } from './assets.js';
export { compileFolder, folderCompiler, type CompiledFolder, type FolderCompiler } from './compile.js';
export { textOfHtml } from './text-of-html.js';
export { Names, valueOf } from './values.js';
export { type CompiledTemplate } from './template.js';
