import type { Kernel } from '../../kernel/index.js';
import type { BoxRecords } from './queries.js';

/** The records that this feature works on: its own, and those of features below it. */
export type Store = Kernel & BoxRecords;
