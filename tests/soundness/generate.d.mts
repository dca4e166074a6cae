import type { Arbitrary } from 'fast-check';

/** A data schema as a tree. */
export interface SchemaTree {
  readonly k: string;
}

/** A schema, templates for it, and what data for it is made from. */
export interface WholeCase {
  readonly tree: SchemaTree;
  readonly templates: readonly object[];
  readonly choices: readonly (readonly number[])[];
}

export const wholeCase: Arbitrary<WholeCase>;
/** Numbers that go round. */
export function stream(list: readonly number[]): () => number;
/** Data that fits a schema. */
export function dataOf(tree: SchemaTree, next: () => number): unknown;
/** The files of a case: templates `t0`, `t1` … */
export function filesOf(made: WholeCase): Record<string, string>;
