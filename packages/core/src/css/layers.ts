/** The cascade layers of all sheets of a document, in the order in which they first come (CSS Cascade 5, 6.4). */
export class Layers {
  readonly #root: Layer = { inner: new Map(), rank: 0 };
  #anonymous = 0;

  /** The layer "a.b" within another one; without a name, one of its own. */
  within(outer: Layer | undefined, name: string): Layer {
    let layer = outer ?? this.#root;
    for (const step of name === '' ? [`\0${(this.#anonymous += 1)}`] : name.split('.')) {
      let next = layer.inner.get(step.trim());
      if (next === undefined) layer.inner.set(step.trim(), (next = { inner: new Map(), rank: 0 }));
      layer = next;
    }
    return layer;
  }

  /** Gives each layer its rank: what is within a layer is weaker than the layer itself, and what is in none is strongest. */
  settle(): void {
    let rank = 0;
    // Layers within each other are as many as a sheet may nest.
    const visit = (layer: Layer): void => {
      for (const inner of layer.inner.values()) visit(inner);
      layer.rank = rank += 1;
    };
    visit(this.#root);
  }

  /** Of what is in no layer. */
  get root(): Layer {
    return this.#root;
  }
}

export interface Layer {
  readonly inner: Map<string, Layer>;
  /** Of normal declarations the higher wins, of important ones the lower. */
  rank: number;
}
