import type { Kernel } from '../../kernel/index.js';
import type { EventRecords } from '../events/index.js';
import type { MessageRecords } from '../messages/index.js';
import type { SenderRecords } from '../senders/index.js';

/** The records that this feature works on: those of features below it. */
export type Store = Kernel & MessageRecords & EventRecords & SenderRecords;
