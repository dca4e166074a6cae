import type { Kernel } from '../../kernel/index.js';
import type { BulkRecords } from '../bulk-sends/index.js';
import type { EditionRecords } from '../editions/index.js';
import type { EventRecords } from '../events/index.js';
import type { ScheduleRecords } from './queries.js';

/** The records that this feature works on: its own, and those of features below it. */
export type Store = Kernel & EditionRecords & EventRecords & BulkRecords & ScheduleRecords;
