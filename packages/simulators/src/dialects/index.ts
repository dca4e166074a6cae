import type { Dialect } from './dialect.js';
import { LEDGER } from './ledger.js';
import { PARCEL } from './parcel.js';
import { POSTBOX } from './postbox.js';
import { SLIP } from './slip.js';

export type { Dialect, Letter } from './dialect.js';

export const DIALECTS = { parcel: PARCEL, postbox: POSTBOX, slip: SLIP, ledger: LEDGER } satisfies Record<string, Dialect>;
export type DialectName = keyof typeof DIALECTS;
