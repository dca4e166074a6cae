import type { Kernel } from '../../kernel/index.js';
import type { EditionRecords } from '../editions/index.js';
import type { EventRecords } from '../events/index.js';
import type { KeyRecords } from '../keys/index.js';
import type { MessageRecords } from '../messages/index.js';
import type { BoxRecords } from '../sensitive-data/index.js';
import type { SignalRecords } from './queries.js';

/** The records that this feature works on: its own, and those of features below it. */
export type Store = Kernel & BoxRecords & MessageRecords & EditionRecords & EventRecords & KeyRecords & SignalRecords;
