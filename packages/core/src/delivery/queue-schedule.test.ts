import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { scaled } from '../../../../tests/support/scale.js';
import type { Outcome } from '../smtp/index.js';
import {
  fairnessKey,
  ProviderRouter,
  QueueSchedule,
  readFairnessKey,
  type Slot,
  type Position,
  type ProviderLimits,
  type Waiting,
} from './index.js';
import { reserveOf } from './provider-limits.js';

const SECOND = 1000;
const ACCEPTED: Outcome = { kind: 'accepted', phase: 'content', reply: { code: 250, enhanced: undefined, lines: [] } };
const GREYLISTED: Outcome = { kind: 'deferred', phase: 'recipient', reply: { code: 450, enhanced: '4.2.0', lines: [] } };
const DOWN: Outcome = { kind: 'trouble', scope: 'provider', phase: 'connect', reply: undefined, reason: 'Connection refused.' };
const SLOW_LOSS: Outcome = { kind: 'trouble', scope: 'domain', phase: 'recipient', reply: undefined, reason: 'No answer.' };

interface Email extends Waiting {
  readonly line: string;
  readonly number: number;
}

/** A queue in memory with a schedule over it, whose emails end when the test says so. */
class Model {
  now = 0;
  readonly waiting: Email[] = [];
  readonly underWay = new Map<string, { readonly email: Email; readonly slot: Slot }>();
  readonly begun: Email[] = [];
  readonly router: ProviderRouter;
  readonly schedule: QueueSchedule<Email>;
  #number = 0;
  nextLook: number | undefined;

  constructor(
    readonly limits: Readonly<Record<string, ProviderLimits>>,
    readonly route: readonly string[] = ['relay'],
  ) {
    this.router = new ProviderRouter(new Map(Object.entries(limits)), 50);
    this.schedule = new QueueSchedule<Email>({
      router: this.router,
      routeOf: () => route.map((provider, i) => ({ provider, share: i === 0 ? 1 : 0 })),
      choiceOf: () => ({ sender: 'ours.example' }),
      lotOf: () => 0.5,
      isUnderWay: (id) => this.underWay.has(id),
      underWay: () => this.underWay.size,
      begin: (email, provider) => {
        const { space, urgent } = readFairnessKey(email.line);
        if (this.underWay.has(email.id)) throw new Error(`${email.id} began twice`);
        const slot = this.router.begin(provider, { space, urgent, sender: 'ours.example', domain: email.domain, ...this.time });
        this.router.connected(slot, this.now);
        this.underWay.set(email.id, { email, slot });
        this.begun.push(email);
        this.#checkBudgets(provider, slot);
      },
      defer: () => undefined,
    });
  }

  get time() {
    return { now: this.now, date: this.now };
  }

  add(domain: string, { urgent = false, space = 'harbour', topic = 'news', at = this.now } = {}): Email {
    const number = (this.#number += 1);
    const line = fairnessKey({ urgent, space, kept: false, topic });
    const email = { id: `d${String(number).padStart(6, '0')}`, at, domain, line, number };
    this.waiting.push(email);
    this.schedule.touched(line, at);
    return email;
  }

  look(): void {
    const isDue = (email: Email): boolean => email.at <= this.now;
    const inOrder = (emails: Email[]): Email[] => emails.sort((a, b) => a.at - b.at || (a.id < b.id ? -1 : 1));
    const isAfter = (email: Email, from: Position | undefined): boolean =>
      from === undefined || email.at > from.at || (email.at === from.at && email.id > from.id);
    const look = this.schedule.look(
      {
        lines: () => [...new Set(this.waiting.map(({ line }) => line))].sort(),
        dueAfter: (line, from, most) =>
          inOrder(this.waiting.filter((email) => email.line === line && isDue(email) && isAfter(email, from))).slice(0, most),
        dueTo: (line, domain, most) =>
          inOrder(this.waiting.filter((email) => email.line === line && email.domain === domain && isDue(email))).slice(0, most),
      },
      this.time,
    );
    this.nextLook = look.at;
    if (look.hasMore) this.look();
  }

  /** An email ends; when it is to be tried again, it waits so long. */
  end(id: string, outcome: Outcome, againAfter?: number): void {
    const found = this.underWay.get(id)!;
    this.underWay.delete(id);
    this.waiting.splice(this.waiting.indexOf(found.email), 1);
    this.router.ended(found.slot, outcome, this.time);
    if (againAfter === undefined) return;
    const again = { ...found.email, at: this.now + againAfter };
    this.waiting.push(again);
    this.schedule.touched(again.line, again.at);
  }

  /** Nobody alone has all slots of a provider. */
  #checkBudgets(provider: string, begun: Slot): void {
    const { connections = 40, ahead = 0, isPacedByDomain, isShared } = this.limits[provider] ?? {};
    const taken = [...this.underWay.values()].map(({ slot }) => slot).filter((slot) => slot.provider === provider);
    const most = begun.urgent ? connections : connections - reserveOf(connections);
    const share = most - reserveOf(most);
    const isKept = [
      taken.length <= connections + ahead,
      begun.urgent || taken.filter(({ urgent }) => !urgent).length <= most + ahead,
      isPacedByDomain !== true || taken.filter(({ domain }) => domain === begun.domain).length <= share + ahead,
      isShared !== true || taken.filter(({ space }) => space === begun.space).length <= share + ahead,
    ];
    if (isKept.includes(false)) throw new Error(`a budget was exceeded: ${JSON.stringify({ begun, isKept })}`);
  }
}

/** Time goes on second by second; `timeOf` says how long an email takes. @returns when each began */
function run(model: Model, seconds: number, timeOf: (email: Email) => number): Map<string, number> {
  const began = new Map<string, number>();
  const until = model.now + seconds * SECOND;
  while (model.now < until) {
    model.look();
    for (const { email } of model.underWay.values()) if (!began.has(email.id)) began.set(email.id, model.now);
    model.now += SECOND / 4;
    for (const [id, { email, slot }] of [...model.underWay]) {
      if (model.now - slot.since < timeOf(email)) continue;
      model.end(id, timeOf(email) >= 30 * SECOND ? SLOW_LOSS : ACCEPTED, timeOf(email) >= 30 * SECOND ? 300 * SECOND : undefined);
    }
  }
  return began;
}

const RELAY: ProviderLimits = { connections: 5, isPacedByDomain: true };

describe('what is slow costs only itself', () => {
  test('a domain that answers after 30 seconds: others begin as if it were not there', () => {
    const model = new Model({ relay: RELAY });
    for (let i = 0; i < 40; i += 1) model.add('tarpit.example', { urgent: true });
    const others = Array.from({ length: 20 }, (_, i) => model.add(`post${i % 4}.example`, { urgent: true }));
    const began = run(model, 12, ({ domain }) => (domain === 'tarpit.example' ? 30 * SECOND : 200));
    for (const { id } of others) expect(began.get(id)).toBeLessThan(6 * SECOND);
  });

  test('many domains that answer after 30 seconds, in the same line and known to nobody', () => {
    const model = new Model({ relay: RELAY });
    for (let i = 0; i < 60; i += 1) model.add(`tarpit${i % 20}.example`);
    const timeOf = ({ domain }: Email): number => (domain.startsWith('tarpit') ? 30 * SECOND : 200);
    run(model, 60, timeOf);
    // A domain that was quick before keeps its slots beside them.
    model.add('post.example', { urgent: true });
    run(model, 40, timeOf);
    const emails = Array.from({ length: 40 }, () => model.add('post.example'));
    const began = run(model, 60, timeOf);
    for (const { id } of emails) expect(began.get(id)).toBeDefined();
    // And one that is new is not kept out by those that are known to be slow.
    const fresh = model.add('fresh.example');
    expect(run(model, 120, timeOf).has(fresh.id)).toBe(true);
  });

  test('urgent email has a slot whatever else is under way', () => {
    const model = new Model({ relay: RELAY });
    for (let i = 0; i < 30; i += 1) model.add('post.example');
    run(model, 2, () => 600 * SECOND);
    const code = model.add('home.example', { urgent: true });
    model.look();
    expect(model.underWay.has(code.id)).toBe(true);
  });

  test('urgent email without end does not keep out all that is not', () => {
    const model = new Model({ relay: { ...RELAY, connections: 2 } });
    const news = model.add('post.example');
    for (let i = 0; i < 400; i += 1) model.add(`post${i % 3}.example`, { urgent: true, topic: `t${i % 3}` });
    expect(run(model, 20, () => 250).has(news.id)).toBe(true);
  });

  test('a space whose emails hang leaves slots for the others that share the provider', () => {
    const model = new Model({ relay: { ...RELAY, isShared: true } });
    for (let i = 0; i < 30; i += 1) model.add(`post${i}.example`, { urgent: true });
    run(model, 30, () => 600 * SECOND);
    const other = model.add('post.example', { urgent: true, space: 'drydock' });
    model.look();
    expect(model.underWay.has(other.id)).toBe(true);
  });

  test('a provider that does not answer: what waits goes to the standby after 5 seconds', () => {
    const model = new Model({ api: { connections: 5 }, standby: { connections: 5 } }, ['api', 'standby']);
    for (let i = 0; i < 60; i += 1) model.add('post.example');
    run(model, 5, () => 600 * SECOND);
    expect(model.router.stateOf('api', model.now)).toMatchObject({ state: 'stalled', underWay: 4 });
    run(model, 5, (email) => (model.underWay.get(email.id)?.slot.provider === 'api' ? 600 * SECOND : 200));
    expect(model.waiting.length).toBe(4);
  });

  test('emails are made ahead to domains that are known to be quick, and to no others', () => {
    const model = new Model({ relay: { ...RELAY, ahead: 5 } });
    for (let i = 0; i < 30; i += 1) model.add('post.example');
    run(model, 3, () => 200);
    for (let i = 0; i < 30; i += 1) model.add('post.example');
    model.look();
    // Three connections, and five that wait for one.
    expect(model.underWay.size).toBe(8);
    for (const id of [...model.underWay.keys()]) model.end(id, ACCEPTED);
    model.waiting.splice(0);
    for (let i = 0; i < 30; i += 1) model.add(`new${i}.example`);
    model.look();
    expect(model.underWay.size).toBe(3);
  });

  test('connections that cannot be opened make a relay stall, though no slots are short', () => {
    const model = new Model({ relay: RELAY, standby: RELAY }, ['relay', 'standby']);
    model.add('post.example');
    model.look();
    const { slot } = [...model.underWay.values()][0]!;
    model.now += 6 * SECOND;
    model.router.opening(slot, 0);
    const next = model.add('post.example');
    model.look();
    expect(model.underWay.get(next.id)?.slot.provider).toBe('standby');
  });
});

describe('order and cost', () => {
  test('to one domain it is that of time, also past a full backlog', () => {
    const model = new Model({ relay: RELAY });
    for (let i = 0; i < 300; i += 1) model.add(`post${i % 7}.example`);
    run(model, 120, ({ number }) => 100 + (number % 5) * 300);
    expect(model.waiting).toEqual([]);
    for (let d = 0; d < 7; d += 1) {
      const numbers = model.begun.filter(({ domain }) => domain === `post${d}.example`).map(({ number }) => number);
      expect(numbers).toEqual([...numbers].sort((a, b) => a - b));
    }
  });

  test('what is passed over is not read again and again', () => {
    const model = new Model({ relay: RELAY });
    for (let i = 0; i < 5000; i += 1) model.add('slow.example', { at: -5000 + i });
    let read = 0;
    const { waiting } = model;
    const view = {
      lines: () => [waiting[0]!.line],
      dueAfter: (_line: string, from: Position | undefined, most: number) => {
        const start = from === undefined ? 0 : waiting.findIndex(({ at, id }) => at > from.at || (at === from.at && id > from.id));
        const rows = start === -1 ? [] : waiting.slice(start, start + most);
        read += rows.length;
        return rows;
      },
      dueTo: (_line: string, domain: string, most: number) => waiting.filter((email) => email.domain === domain).slice(0, most),
    };
    for (let i = 0; i < 10; i += 1) model.schedule.look(view, model.time);
    expect(read).toBe(5000);
    const late = model.add('post.example');
    model.schedule.look(view, model.time);
    expect(model.underWay.has(late.id)).toBe(true);
    expect(read).toBe(5001);
  });
});

// Every sequence of a few steps, then all that is under way ends well: everything must have been sent.
const STEPS = ['add a', 'add b', 'add urgent a', 'add other space', 'accept', 'defer', 'down', 'time'] as const;

function step(model: Model, name: (typeof STEPS)[number] | 'tarpit' | 'add c'): void {
  const first = [...model.underWay.keys()][0];
  switch (name) {
    case 'add a':
    case 'add b':
    case 'add c':
      model.add(`${name.slice(4)}.example`);
      break;
    case 'add urgent a':
      model.add('a.example', { urgent: true });
      break;
    case 'add other space':
      model.add('a.example', { space: 'drydock' });
      break;
    case 'accept':
      if (first !== undefined) model.end(first, ACCEPTED);
      break;
    case 'defer':
      if (first !== undefined) model.end(first, GREYLISTED, 3 * SECOND);
      break;
    case 'down':
      if (first !== undefined) model.end(first, DOWN, 0);
      break;
    case 'tarpit':
      model.now += 30 * SECOND;
      if (first !== undefined) model.end(first, SLOW_LOSS, SECOND);
      break;
    case 'time':
      model.now += 4 * SECOND;
      break;
  }
  model.look();
}

/** Everything ends well from now on: at most so many looks later nothing waits. */
function finish(model: Model): void {
  for (let i = 0; model.waiting.length > 0; i += 1) {
    if (i > 2000)
      throw new Error(`stuck: ${JSON.stringify(model.waiting.slice(0, 5))}, ${JSON.stringify(model.router.stateOf('relay', model.now))}`);
    for (const id of [...model.underWay.keys()]) model.end(id, ACCEPTED);
    model.now += SECOND;
    model.look();
  }
}

describe('nothing is stuck', () => {
  test('every short sequence of steps', () => {
    const length = scaled(4, 5);
    let sequences = 0;
    for (let code = 0; code < STEPS.length ** length; code += 1) {
      const model = new Model({ relay: { connections: 2, isPacedByDomain: true, isShared: true } });
      for (let rest = code, i = 0; i < length; i += 1, rest = Math.floor(rest / STEPS.length)) step(model, STEPS[rest % STEPS.length]!);
      finish(model);
      sequences += 1;
    }
    expect(sequences).toBe(scaled(4096, 32_768));
  }, 120_000);

  test('long random sequences, with limits, a standby and few or many connections', () => {
    const names = fc.constantFrom(...STEPS, 'tarpit' as const, 'add c' as const);
    const limits = fc.record({
      connections: fc.integer({ min: 1, max: 12 }),
      isPacedByDomain: fc.boolean(),
      isShared: fc.boolean(),
      ahead: fc.integer({ min: 0, max: 5 }),
      perSecond: fc.option(fc.integer({ min: 1, max: 20 }), { nil: undefined }),
      perDomainSecond: fc.option(fc.integer({ min: 1, max: 5 }), { nil: undefined }),
    });
    fc.assert(
      fc.property(fc.array(names, { maxLength: 200 }), limits, fc.boolean(), (steps, relay, hasStandby) => {
        const model = new Model({ relay, standby: relay }, hasStandby ? ['relay', 'standby'] : ['relay']);
        for (const name of steps) step(model, name);
        finish(model);
      }),
      { numRuns: scaled(300, 1000) },
    );
  });
});
