import type { ProviderLimits, WarmUp } from './provider-limits.js';

const DAY = 24 * 60 * 60_000;

/** A span of time, in milliseconds since the epoch: from the first, up to the second. */
interface Period {
  readonly from: number;
  readonly to: number;
}

interface Rule {
  readonly periodAt: (date: number) => Period;
  readonly mostAt: (date: number) => number;
  /** What has been reached: "its quota for today". */
  readonly name: string;
}

/** How many emails a warming provider may accept on a day; Infinity once it is warm. */
export function ceilingOf(plan: WarmUp, date: number): number {
  const day = Math.max(0, Math.floor((date - plan.since) / DAY));
  const ceiling = Math.floor(plan.first * plan.growth ** day);
  return ceiling >= plan.most ? Number.POSITIVE_INFINITY : ceiling;
}

function dayAfter(since: number, date: number): Period {
  const from = since + Math.floor((date - since) / DAY) * DAY;
  return { from, to: from + DAY };
}

function monthOf(date: number): Period {
  const at = new Date(date);
  const [year, month] = [at.getUTCFullYear(), at.getUTCMonth()];
  return { from: Date.UTC(year, month, 1), to: Date.UTC(year, month + 1, 1) };
}

function rulesOf({ warmUp, perDay, perMonth }: ProviderLimits): Rule[] {
  const rules: Rule[] = [];
  if (warmUp !== undefined)
    rules.push({
      periodAt: (date) => dayAfter(warmUp.since, date),
      mostAt: (date) => ceilingOf(warmUp, date),
      name: 'its ceiling for today',
    });
  if (perDay !== undefined)
    rules.push({ periodAt: (date) => dayAfter(0, date), mostAt: () => perDay, name: `its quota of ${perDay} emails a day` });
  if (perMonth !== undefined) rules.push({ periodAt: monthOf, mostAt: () => perMonth, name: `its quota of ${perMonth} emails a month` });
  return rules;
}

/** Whose an email is. */
export interface Given {
  readonly space: string;
  /** The domain that it is sent from. */
  readonly sender: string;
}

/** What a provider was given for one of these. */
export interface GivenCount extends Given {
  readonly n: number;
}

/** How many emails a provider may still be given, in all, and of each space or sender while these warm up. */
export class Allowances {
  readonly #shared: Allowance;
  readonly #own = new Map<string, Allowance>();
  readonly #warmUp: WarmUp | undefined;

  constructor(limits: ProviderLimits) {
    const { warmUp, ...others } = limits;
    this.#warmUp = warmUp?.by === undefined || warmUp.by === 'provider' ? undefined : warmUp;
    this.#shared = new Allowance(this.#warmUp === undefined ? limits : others);
  }

  /** When the periods began that are counted, in milliseconds since the epoch. */
  periods(date: number): readonly number[] {
    const own = this.#warmUp === undefined ? [] : new Allowance({ warmUp: this.#warmUp }).periods(date);
    return [...new Set([...this.#shared.periods(date), ...own])];
  }

  /** What had been given since the period that begins at a date began. */
  restore(from: number, counts: readonly GivenCount[]): void {
    this.#shared.restore(
      from,
      counts.reduce((sum, { n }) => sum + n, 0),
    );
    const byOwn = new Map<Allowance, number>();
    for (const count of counts) {
      const own = this.#of(count);
      if (own !== undefined) byOwn.set(own, (byOwn.get(own) ?? 0) + count.n);
    }
    for (const [own, n] of byOwn) own.restore(from, n);
  }

  take(whose: Given, date: number): void {
    this.#shared.take(date);
    this.#of(whose)?.take(date);
  }

  /** An email was not accepted after all. */
  giveBack(whose: Given, date: number): void {
    this.#shared.giveBack(date);
    this.#of(whose)?.giveBack(date);
  }

  /** What is used up for everybody, and when it starts again. */
  usedUp(date: number): ReturnType<Allowance['usedUp']> {
    return this.#shared.usedUp(date);
  }

  /** What is used up for a space or a sender, and what of it waits: all of its line, or only this email. */
  usedUpBy(whose: Given, date: number): { readonly name: string; readonly until: number; readonly scope: 'line' | 'email' } | undefined {
    const used = this.#of(whose)?.usedUp(date);
    if (used === undefined) return undefined;
    const isBySpace = this.#warmUp?.by === 'space';
    const name = `${used.name} for ${isBySpace ? `the space ${whose.space}` : whose.sender}`;
    return { ...used, name, scope: isBySpace ? 'line' : 'email' };
  }

  /** What was given in each period. */
  given(date: number): readonly number[] {
    return [
      ...this.#shared.given(date),
      ...[...this.#own].sort(([a], [b]) => (a < b ? -1 : 1)).flatMap(([, own]) => own.given(date).filter((n) => n > 0)),
    ];
  }

  #of({ space, sender }: Given): Allowance | undefined {
    if (this.#warmUp === undefined) return undefined;
    const key = this.#warmUp.by === 'space' ? space : sender;
    let own = this.#own.get(key);
    if (own === undefined) this.#own.set(key, (own = new Allowance({ warmUp: this.#warmUp })));
    return own;
  }
}

/** How many emails a provider may still be given: by day while it warms up, by day and by month (UTC) where it has a quota. */
class Allowance {
  readonly #counts: { readonly rule: Rule; from: number; n: number }[];

  constructor(limits: ProviderLimits) {
    this.#counts = rulesOf(limits).map((rule) => ({ rule, from: Number.NaN, n: 0 }));
  }

  /** When the periods began that it counts in, in milliseconds since the epoch: what was given since then must be restored at a start. */
  periods(date: number): readonly number[] {
    return this.#counts.map(({ rule }) => rule.periodAt(date).from);
  }

  /** How many emails had been given since the period that begins at a date began. */
  restore(from: number, n: number): void {
    for (const count of this.#counts) if (count.rule.periodAt(from).from === from) Object.assign(count, { from, n });
  }

  take(date: number): void {
    for (const count of this.#current(date)) count.n += 1;
  }

  /** An email was not accepted after all. */
  giveBack(date: number): void {
    for (const count of this.#current(date)) count.n = Math.max(0, count.n - 1);
  }

  /** What is used up, and when it starts again; undefined if some is left. */
  usedUp(date: number): { readonly name: string; readonly until: number } | undefined {
    const over = this.#current(date).filter(({ rule, n }) => n >= rule.mostAt(date));
    const [first] = over.sort((a, b) => b.rule.periodAt(date).to - a.rule.periodAt(date).to);
    return first === undefined ? undefined : { name: first.rule.name, until: first.rule.periodAt(date).to };
  }

  /** What was given in each period. */
  given(date: number): readonly number[] {
    return this.#current(date).map(({ n }) => n);
  }

  #current(date: number) {
    for (const count of this.#counts) {
      const { from } = count.rule.periodAt(date);
      if (count.from !== from) Object.assign(count, { from, n: 0 });
    }
    return [...this.#counts];
  }
}
