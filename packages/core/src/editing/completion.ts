import type { Type } from '../typing/index.js';

/** What can be written at a place. */
export interface Completion {
  readonly label: string;
  readonly kind: 'field' | 'name' | 'formatter' | 'block' | 'argument' | 'value' | 'string' | 'word' | 'file';
  /** On one line: its type, or what it does. */
  readonly detail?: string;
  /** Written in place of `[from, to)`. */
  readonly insert: string;
  readonly from: number;
  readonly to: number;
  /** What does not fit here comes last. */
  readonly isUnfit?: boolean;
}

/** Texts that a type names one by one. */
export function valuesOf(type: Type | undefined): string[] {
  return (type?.members ?? []).flatMap((member) => (member.kind === 'text' ? [...(member.values ?? [])] : []));
}
