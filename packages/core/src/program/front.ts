import type { FrontValue } from '../notation/index.js';

/** Paths of the style sheets that the front matter names. */
export function stylesNamed(front: ReadonlyMap<string, FrontValue>): string[] {
  return (written(front.get('styles')) ?? '').split(/[\s,]+/).filter((text) => text !== '');
}

/** A value of the front matter that holds no expressions. */
export function written(value: FrontValue | undefined): string | undefined {
  const texts = value?.parts.filter((part) => typeof part === 'string');
  return value === undefined || texts?.length !== value.parts.length ? undefined : texts.join('');
}
