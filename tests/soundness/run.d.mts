/** What was looked at, and the first thing that was wrong. */
export interface Proof {
  /** A template with one datum for it. */
  readonly cases: number;
  readonly templates: number;
  readonly accepted: number;
  readonly renderings: number;
  readonly failure: { readonly seed: number; readonly path: string; readonly fault: string } | undefined;
}

export function proveSoundness(wanted: { readonly cases: number; readonly seed: number }): Promise<Proof>;
