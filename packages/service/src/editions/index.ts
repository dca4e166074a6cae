export { BUILT_IN, editionCache, OPERATOR_NOTE, EditionError, type Editions, type LoadedEdition, type ReadyTemplate } from './loaded.js';
