import type { Place } from '../problems/index.js';

export type BinaryOperator = '+' | '-' | '*' | '/' | '%' | '==' | '!=' | '<' | '<=' | '>' | '>=' | 'and' | 'or' | '??';

/** The expression grammar's tree. Every node knows its place, so that typing can point at it. */
export type Expression =
  | { readonly kind: 'literal'; readonly value: string | number | boolean | null; readonly place: Place }
  | { readonly kind: 'name'; readonly name: string; readonly place: Place }
  | { readonly kind: 'member'; readonly of: Expression; readonly name: string; readonly place: Place }
  | { readonly kind: 'index'; readonly of: Expression; readonly at: Expression; readonly place: Place }
  | { readonly kind: 'unary'; readonly operator: '-' | 'not'; readonly operand: Expression; readonly place: Place }
  | {
      readonly kind: 'binary';
      readonly operator: BinaryOperator;
      readonly left: Expression;
      readonly right: Expression;
      readonly place: Place;
    }
  | {
      readonly kind: 'choice';
      readonly test: Expression;
      readonly yes: Expression;
      readonly no: Expression;
      readonly place: Place;
    }
  | {
      readonly kind: 'format';
      readonly value: Expression;
      readonly name: string;
      readonly args: readonly Expression[];
      /** `name=value` */
      readonly named: readonly { readonly name: string; readonly value: Expression }[];
      readonly place: Place;
      readonly namePlace: Place;
    }
  | {
      readonly kind: 'say';
      readonly key: string;
      readonly values: readonly { readonly name: string; readonly value: Expression }[];
      readonly place: Place;
    };

/** What is between `{{` and `}}`: a value, a word that steers a paragraph, or a comment. */
export type Insertion =
  | { readonly kind: 'value'; readonly value: Expression; readonly place: Place }
  | { readonly kind: 'if'; readonly test: Expression; readonly place: Place }
  | { readonly kind: 'else-if'; readonly test: Expression; readonly place: Place }
  | {
      readonly kind: 'each';
      readonly name: string;
      readonly second: string | undefined;
      readonly list: Expression;
      readonly place: Place;
    }
  | Word<'else'>
  | Word<'between'>
  | Word<'empty'>
  | Word<'end'>
  | Word<'comment'>;

interface Word<K> {
  readonly kind: K;
  readonly place: Place;
}
