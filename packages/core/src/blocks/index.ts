import { action } from './action.js';
import { band } from './band.js';
import type { Block } from './block.js';
import { card } from './card.js';
import { facts } from './facts.js';
import { fineprint } from './fineprint.js';
import { gap } from './gap.js';
import { steps } from './steps.js';
import { lane, lanes } from './lanes.js';
import { ledger } from './ledger.js';
import { notice } from './notice.js';
import { only, raw } from './only.js';
import { passcode } from './passcode.js';
import { picture } from './picture.js';
import { postal } from './postal.js';
import { quote } from './quote.js';

/** Every built-in block. A new one is a new file and a line here. */
export const BLOCKS: ReadonlyMap<string, Block> = new Map(
  [band, card, lanes, lane, action, facts, ledger, passcode, picture, notice, steps, quote, gap, postal, fineprint, only, raw].map(
    (block) => [block.signature.name, block],
  ),
);
export type { AddressKind, Block, Background, HtmlSide, Side, TextSide } from './block.js';
export { TONE_WORDS, wordsOf, type BlockWords } from './words.js';
export { breaking, textClass, letters, lineHeight } from './style.js';
