import type { BulkSummary } from '@verbalis/client';
import { color } from '../style.js';

/** The state of a bulk send: its sign, colour and meaning. */
export const BULK_STATES: Readonly<
  Record<BulkSummary['state'], { readonly sign: string; readonly color: string; readonly means: string }>
> = {
  running: { sign: '…', color: color.mark, means: 'reads its recipients' },
  paused: { sign: '‖', color: color.wait, means: 'reads no more until it is resumed' },
  done: { sign: '●', color: color.good, means: 'all recipients were read' },
  canceled: { sign: '–', color: color.soft, means: 'ended before its time' },
  failed: { sign: '✕', color: color.bad, means: 'its recipients cannot be read' },
};
