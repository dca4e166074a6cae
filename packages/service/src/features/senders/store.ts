import type { Kernel } from '../../kernel/index.js';
import type { SenderRecords } from './queries.js';

/** The records that this feature works on. */
export type Store = Kernel & SenderRecords;
