import type { Kernel } from '../../kernel/index.js';
import type { ConsentRecords } from '../consent/index.js';
import type { EventRecords } from '../events/index.js';
import type { MessageRecords } from '../messages/index.js';
import type { InboundRecords } from './queries.js';

/** The records that this feature works on: its own, and those of features below it. */
export type Store = Kernel & ConsentRecords & EventRecords & MessageRecords & InboundRecords;
