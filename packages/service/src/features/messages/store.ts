import type { Kernel } from '../../kernel/index.js';
import type { AttachmentRecords } from '../attachments/index.js';
import type { BoxRecords } from '../sensitive-data/index.js';
import type { MessageRecords } from './records.js';

/** The records that this feature works on: its own, and those of features below it. */
export type Store = Kernel & AttachmentRecords & BoxRecords & MessageRecords;
