export { editionCache, EditionError, type Editions, type LoadedEdition, type ReadyTemplate } from './loaded.js';
