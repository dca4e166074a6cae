import type { Kernel } from '../../kernel/index.js';
import type { DomainRecords } from '../domains/index.js';
import type { EventRecords } from '../events/index.js';
import type { ReportRecords } from './queries.js';

/** The records that this feature works on: its own, and those of features below it. */
export type Store = Kernel & DomainRecords & EventRecords & ReportRecords;
