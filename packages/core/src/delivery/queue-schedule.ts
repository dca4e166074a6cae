import type { Block, ChoiceInput, ProviderRouter, RouteEntry, RouterTime } from './provider-router.js';
import { readFairnessKey, takeInTurn, type Turn } from './fairness.js';

/** A place in the order of a line: when due, then by id. */
export interface Position {
  readonly at: number;
  readonly id: string;
}

/** A delivery that waits, as far as the schedule looks at it. */
export interface Waiting {
  readonly id: string;
  /** When it is due: a date, in milliseconds since the epoch. */
  readonly at: number;
  /** The recipient's domain. */
  readonly domain: string;
}

/** What waits, in order. A line is what waits under one fairness key. */
export interface WaitingView<W extends Waiting> {
  /** The fairness keys under which something waits. */
  readonly lines: () => readonly string[];
  /** What is due in a line behind a position, in order; at most so many. */
  readonly dueAfter: (line: string, after: Position | undefined, most: number) => readonly W[];
  /** What is due in a line to one domain, in order; at most so many. */
  readonly dueTo: (line: string, domain: string, most: number) => readonly W[];
}

/** What a provider is chosen by, beside what the schedule knows. */
export type ChoiceOf<W> = (email: W) => Pick<ChoiceInput, 'sender' | 'avoid' | 'unfit' | 'only'>;

export interface ScheduleOptions<W extends Waiting> {
  readonly router: ProviderRouter;
  readonly routeOf: (line: string) => readonly RouteEntry[];
  readonly choiceOf: ChoiceOf<W>;
  /** From 0 to 1. */
  readonly lotOf: (email: W) => number;
  /** Whether a delivery is under way already. */
  readonly isUnderWay: (id: string) => boolean;
  /** How many are that still stand among what waits. */
  readonly underWay: () => number;
  /** An email begins: the caller counts it with the router, and `isUnderWay` holds for it from now on. */
  readonly begin: (email: W, provider: string) => void;
  /** An email that waits for something of its own: it is looked at again at a time of the monotonic clock. */
  readonly defer: (email: W, block: Block) => void;
}

/** What a look at the queue came to. */
export interface Look {
  readonly began: number;
  /** Whether there is more to look at now. */
  readonly hasMore: boolean;
  /** When to look again though nothing ends and nothing new comes, on the monotonic clock. */
  readonly at: number | undefined;
}

interface Line {
  /** All before it was looked at; what still waits there goes to a domain of the backlog. */
  frontier: Position | undefined;
  /** Domains that had no room when they were looked at, in the order in which they are asked again. */
  readonly backlog: Set<string>;
}

/** Sorts behind every id. */
const LAST = '\u{10FFFF}';
/** Of so many emails that begin, one is not urgent, if any such wait: urgent ones never keep out all others. */
const ONE_OF = 10;
/** How many deliveries are looked at in one go, over all lines. */
const LOOKED_AT = 1000;
/** How many of a line are read in one query. */
const [LEAST_READ, READ] = [4, 32];
/** How many domains without room are kept in mind for a line; beyond that it is served in order of time alone. */
const MOST_BACKLOG = 5000;
/** How many of them are asked each time. */
const ASKED = 100;

/**
 * Which deliveries go next. Lines take turns, what is urgent first; within a line the order is that of time, but a domain without room holds up
 * only itself: what goes there is passed over and found again by its domain. Holds in memory only the domains that have no room.
 */
export class QueueSchedule<W extends Waiting> {
  readonly #lines = new Map<string, Line>();
  /** The lines that were served longest ago come first. */
  #turns = new Map<string, number>();
  #turn = 0;
  /** How many urgent emails began since the last one that is not. */
  #urgentInRow = 0;

  constructor(private readonly options: ScheduleOptions<W>) {}

  /** Something is due in a line from a date on, which may lie before what was looked at. */
  touched(line: string, at: number): void {
    const known = this.#lines.get(line);
    if (known?.frontier !== undefined && at <= known.frontier.at) known.frontier = { at: at - 1, id: LAST };
  }

  /** Forgets what was looked at: dates may have changed. */
  reset(): void {
    this.#lines.clear();
  }

  /** Begins what can begin now. */
  look(view: WaitingView<W>, time: RouterTime): Look {
    const all = view.lines();
    for (const line of this.#lines.keys()) if (!all.includes(line)) this.#lines.delete(line);
    this.#turns = new Map(all.map((line) => [line, this.#turns.get(line) ?? 0]));
    const look = { began: 0, left: LOOKED_AT, hasMore: false, at: Number.POSITIVE_INFINITY };
    const serve = (urgent: boolean, most: number): void => {
      const lines = all
        .filter((line) => readFairnessKey(line).urgent === urgent)
        .sort((a, b) => (this.#turns.get(a) ?? 0) - (this.#turns.get(b) ?? 0));
      const before = look.began;
      takeInTurn(lines, Math.min(most, this.#free(lines)), (line, part) => this.#serve(line, part, { view, time, look }));
      this.#urgentInRow = urgent ? this.#urgentInRow + look.began - before : look.began > before ? 0 : this.#urgentInRow;
    };
    if (this.#urgentInRow >= ONE_OF - 1) serve(false, 1);
    serve(true, Number.POSITIVE_INFINITY);
    serve(false, Number.POSITIVE_INFINITY);
    return { began: look.began, hasMore: look.hasMore, at: look.at === Number.POSITIVE_INFINITY ? undefined : look.at };
  }

  /** How many slots the routes of some lines have left, each provider counted once. */
  #free(lines: readonly string[]): number {
    const entries = lines.flatMap((line) => this.options.routeOf(line));
    return this.options.router.free([...new Map(entries.map((entry) => [entry.provider, entry])).values()]);
  }

  /** Gives a line at most so many slots. */
  #serve(name: string, most: number, step: Step<W>): Turn {
    const { router, routeOf } = this.options;
    const { space, urgent } = readFairnessKey(name);
    const lineBlock = router.lineBlock(routeOf(name), { space, urgent, ...step.time });
    if (lineBlock !== undefined) return this.#blocked(lineBlock, step);
    let line = this.#lines.get(name);
    if (line === undefined) this.#lines.set(name, (line = { frontier: undefined, backlog: new Set() }));
    const first = this.#serveBacklog(name, line, most, step);
    const rest = first.isBlocked || first.used >= most ? { used: 0, isBlocked: true } : this.#serveNew(name, line, most - first.used, step);
    const used = first.used + rest.used;
    if (line.backlog.size === 0) this.#lines.delete(name);
    if (used > 0) this.#turns.set(name, (this.#turn += 1));
    return { used, hasMore: used >= most };
  }

  /** Domains that had no room: whether they have some now. */
  #serveBacklog(name: string, line: Line, most: number, step: Step<W>): Served {
    const { router, routeOf } = this.options;
    const { space, urgent } = readFairnessKey(name);
    const route = routeOf(name);
    let used = 0;
    for (const domain of [...line.backlog].slice(0, ASKED)) {
      if (used >= most || step.look.left <= 0) break;
      // Asked again after all the others.
      line.backlog.delete(domain);
      const block = router.domainBlock({ route, space, urgent, domain, ...step.time });
      const result =
        block === undefined ? this.#serveDomain(name, domain, most - used, step) : { used: 0, isBlocked: false, isEmpty: false };
      if (block !== undefined) this.#blocked(block, step);
      used += result.used;
      if (!result.isEmpty) line.backlog.add(domain);
      if (result.isBlocked) return { used, isBlocked: true };
    }
    step.look.hasMore ||= step.look.left <= 0;
    return { used, isBlocked: step.look.left <= 0 };
  }

  /** What waits in a line for one domain, in order of time. */
  #serveDomain(name: string, domain: string, most: number, step: Step<W>): Served & { readonly isEmpty: boolean } {
    const { isUnderWay, underWay } = this.options;
    const limit = underWay() + most + 1;
    const rows = step.view.dueTo(name, domain, limit);
    step.look.left -= rows.length;
    let used = 0;
    for (const row of rows) {
      if (isUnderWay(row.id)) continue;
      if (used >= most) return { used, isBlocked: false, isEmpty: false };
      const result = this.#offer(name, row, step);
      if (result === 'began') used += 1;
      else if (result !== 'deferred') return { used, isBlocked: result === 'line', isEmpty: false };
    }
    return { used, isBlocked: false, isEmpty: rows.length < limit };
  }

  /** What has not been looked at, in order of time. */
  #serveNew(name: string, line: Line, most: number, step: Step<W>): Served {
    const { isUnderWay, underWay } = this.options;
    let used = 0;
    while (used < most) {
      if (step.look.left <= 0) {
        step.look.hasMore = true;
        return { used, isBlocked: true };
      }
      // What is under way stands among what waits until it is recorded as begun.
      const limit = Math.min(READ, Math.max(LEAST_READ, most - used + underWay()));
      const rows = step.view.dueAfter(name, line.frontier, limit);
      step.look.left -= rows.length;
      for (const row of rows) {
        if (used >= most) return { used, isBlocked: false };
        if (!isUnderWay(row.id) && !line.backlog.has(row.domain)) {
          const result = this.#offer(name, row, step);
          if (result === 'line' || (result === 'domain' && line.backlog.size >= MOST_BACKLOG)) return { used, isBlocked: true };
          if (result === 'domain') line.backlog.add(row.domain);
          if (result === 'began') used += 1;
        }
        line.frontier = { at: row.at, id: row.id };
      }
      if (rows.length < limit) break;
    }
    return { used, isBlocked: false };
  }

  #offer(name: string, row: W, step: Step<W>): 'began' | 'deferred' | 'line' | 'domain' {
    const { router, routeOf, choiceOf, lotOf, begin, defer } = this.options;
    const { space, urgent } = readFairnessKey(name);
    const choice = router.choose({
      route: routeOf(name),
      space,
      urgent,
      domain: row.domain,
      ...choiceOf(row),
      lot: lotOf(row),
      ...step.time,
    });
    if ('provider' in choice) {
      begin(row, choice.provider);
      step.look.began += 1;
      return 'began';
    }
    const { block } = choice;
    if (block.scope === 'email') {
      defer(row, block);
      return 'deferred';
    }
    this.#blocked(block, step);
    return block.scope;
  }

  #blocked({ at }: Block, { look }: Step<W>): Turn {
    look.at = Math.min(look.at, at);
    return { used: 0, hasMore: false };
  }
}

interface Step<W extends Waiting> {
  readonly view: WaitingView<W>;
  readonly time: RouterTime;
  readonly look: { began: number; left: number; hasMore: boolean; at: number };
}

interface Served {
  readonly used: number;
  /** Whether the line gets nothing more for now. */
  readonly isBlocked: boolean;
}
