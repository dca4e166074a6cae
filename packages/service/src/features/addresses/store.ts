import type { Kernel } from '../../kernel/index.js';
import type { CaptureRecords } from '../capture/index.js';
import type { InboundRecords } from '../inbound/index.js';
import type { MessageRecords } from '../messages/index.js';
import type { SignalRecords } from '../signals/index.js';
import type { ConsentRecords } from '../consent/index.js';
import type { SuppressionRecords } from '../suppressions/index.js';
import type { AddressRecords } from './queries.js';

/** The records that this feature works on: its own, and those of features below it. */
export type Store = Kernel &
  MessageRecords &
  CaptureRecords &
  SuppressionRecords &
  ConsentRecords &
  SignalRecords &
  InboundRecords &
  AddressRecords;
