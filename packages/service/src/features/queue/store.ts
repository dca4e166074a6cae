import type { Kernel } from '../../kernel/index.js';
import type { AttachmentRecords } from '../attachments/index.js';
import type { MessageRecords } from '../messages/index.js';
import type { EventRecords } from '../events/index.js';
import type { ProviderRecords } from '../providers/index.js';

/** The records that this feature works on: its own, and those of features below it. */
export type Store = Kernel & AttachmentRecords & MessageRecords & EventRecords & ProviderRecords;
