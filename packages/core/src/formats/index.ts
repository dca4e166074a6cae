import { DATE_FORMATS } from './dates.js';
import type { Format } from './format.js';
import { LIST_FORMATS } from './lists.js';
import { NUMBER_FORMATS } from './numbers.js';
import { TEXT_FORMATS } from './texts.js';

/** Every formatter, by name. A mail folder cannot add to it. */
export const FORMATS: ReadonlyMap<string, Format> = new Map(
  [...DATE_FORMATS, ...NUMBER_FORMATS, ...LIST_FORMATS, ...TEXT_FORMATS].map((format) => [format.name, format]),
);
export type { Format, FormatArgument, FormatContext, ValueKind } from './format.js';
export { skeletonOptions } from './skeleton.js';
export { instantOf, timeOfDay } from './instants.js';
export { CURRENCIES, isColor, isLength, minorUnits, TEXT_KINDS, UNITS } from './kinds.js';
export { memo } from './memo.js';
