export { mailFolderCompiler, sharedCompiler, type MailFolderCompiler } from './compile.js';
export {
  BUILT_IN,
  editionCache,
  EditionError,
  editionOf,
  OPERATOR_NOTE,
  type EditionParts,
  type Editions,
  type LoadedEdition,
  type ReadyTemplate,
} from './loaded.js';
