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

/** How many emails a provider may still be given: by day while it warms up, by day and by month (UTC) where it has a quota. */
export class Allowance {
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

  /** What is used up, and when it begins anew; undefined where there is some left. */
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
