import { action } from './action.js';
import { band } from './band.js';
import type { Block } from './block.js';
import { card } from './card.js';
import { facts } from './facts.js';
import { fineprint } from './fineprint.js';
import { gap } from './gap.js';
import { ledger } from './ledger.js';
import { notice } from './notice.js';

/** Every built-in block. A new one is a new file and a line here. */
export const BLOCKS: ReadonlyMap<string, Block> = new Map(
  [band, card, action, facts, ledger, notice, gap, fineprint].map((one) => [one.signature.name, one]),
);
export type { Block, Ground, HtmlSide, Side, TextSide } from './block.js';
export { inkClass, letters, lineHeight } from './style.js';
