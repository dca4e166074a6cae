import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { NotificationSchedule, type Head } from './index.js';

const LIMITS = { most: 3, restsAfter: 2, firstRestMs: 1000, longestRestMs: 8000 };
const RETRY_MS = 500;

interface Row {
  readonly key: string;
  state: 'waiting' | 'done';
  dueAt: number;
  attempts: number;
}

/**
 * A subscription with a file, a network and a clock that someone else moves: `pick` says what happens next. What is asked of the schedule is
 * that everything is taken in the end, in order under each key, whatever happens when.
 */
function run(keys: readonly string[], pick: (choices: number) => number, failures: readonly number[]) {
  let schedule = new NotificationSchedule<number>(LIMITS);
  const rows = new Map<number, Row>();
  const left = [...failures];
  const taken: { key: string; seq: number }[] = [];
  let unwritten: { seq: number; row: Row }[] = [];
  let underWay: { seqs: number[]; attempts: number; round: number }[] = [];
  let read = 0;
  let now = 0;
  let restarted = false;
  const keyOf = (seq: number): string => keys[seq] ?? '';
  const note = (seq: number, row: Omit<Row, 'key'>): void => {
    schedule.noted(keyOf(seq), { waits: row.state === 'waiting' });
    unwritten.push({ seq, row: { key: keyOf(seq), ...row } });
  };
  const head = (key: string): Head | undefined => {
    const first = [...rows].filter(([, row]) => row.key === key && row.state === 'waiting').sort(([a], [b]) => a - b)[0];
    return first === undefined ? undefined : { seq: first[0], dueAt: first[1].dueAt, attempts: first[1].attempts };
  };
  const goes = (seqs: number[], attempts: number): void => {
    expect(new Set(seqs.map(keyOf)).size).toBe(seqs.length);
    const busy = underWay.flatMap((other) => other.seqs.map(keyOf));
    expect(seqs.filter((seq) => busy.includes(keyOf(seq)))).toEqual([]);
    // What is done is not sent again but after a restart, which reads from where it stood.
    if (!restarted) expect(seqs.filter((seq) => rows.get(seq)?.state === 'done')).toEqual([]);
    underWay.push({ seqs, attempts, round: schedule.round });
  };
  const begin = (): void => {
    for (let again = schedule.beginAgain(now); again !== undefined; again = schedule.beginAgain(now)) goes([again.seq], again.attempts);
    while (schedule.room(now) > 0) {
      if (!schedule.hasFresh) {
        if (read >= keys.length) break;
        for (const end = Math.min(keys.length, read + 2); read < end; read += 1) {
          if (schedule.waits(keyOf(read))) note(read, { state: 'waiting', dueAt: now, attempts: 0 });
          else schedule.add({ seq: read, key: keyOf(read), item: read });
        }
        continue;
      }
      for (const { seq } of schedule.heldBack()) note(seq, { state: 'waiting', dueAt: now, attempts: 0 });
      const fresh = schedule.beginFresh(now, 1 + pick(2));
      if (fresh.length === 0) break;
      goes(
        fresh.map(({ item }) => item),
        0,
      );
    }
  };
  const answer = (i: number): void => {
    const [tried] = underWay.splice(i, 1);
    if (tried === undefined) return;
    schedule.ended(tried.seqs.map(keyOf));
    const fails = (left.shift() ?? 0) > 0;
    if (fails) schedule.failed(now, { round: tried.round });
    else schedule.succeeded();
    for (const seq of tried.seqs) {
      if (!fails) taken.push({ key: keyOf(seq), seq });
      note(
        seq,
        fails ? { state: 'waiting', dueAt: now + RETRY_MS, attempts: tried.attempts + 1 } : { state: 'done', dueAt: 0, attempts: 0 },
      );
    }
  };
  const write = (): void => {
    // One commit takes what was noted before it began.
    const written = unwritten.splice(0, 1 + pick(unwritten.length));
    for (const { seq, row } of written) rows.set(seq, row);
    for (const { row } of written) schedule.written(row.key, () => head(row.key));
  };
  const restart = (): void => {
    restarted = true;
    // What was not written is read again; so is what was read and not tried.
    unwritten = [];
    underWay = [];
    schedule = new NotificationSchedule<number>(LIMITS);
    for (const key of new Set(keys)) {
      const first = head(key);
      if (first !== undefined) schedule.setHead(key, first);
    }
    read = 0;
    while (rows.has(read)) read += 1;
  };
  let steps = 0;
  for (;;) {
    if ((steps += 1) > 2000) throw new Error(`stuck: ${JSON.stringify({ now, read, rows: [...rows], next: schedule.nextAt(now) })}`);
    begin();
    const choices = [
      ...underWay.map((_, i) => () => {
        answer(i);
      }),
      ...(unwritten.length > 0 ? [write] : []),
    ];
    if (choices.length > 0) {
      // Seldom enough that it ends.
      if (pick(40) === 39) restart();
      else choices[pick(choices.length)]?.();
      continue;
    }
    const next = schedule.nextAt(now);
    if (next === undefined) break;
    expect(next).toBeGreaterThan(now);
    now = next;
  }
  return { rows, taken, now };
}

function check(keys: readonly string[], { rows, taken }: ReturnType<typeof run>): void {
  expect([...rows.values()].map(({ state }) => state)).toEqual(keys.map(() => 'done'));
  for (const key of new Set(keys)) {
    const first: number[] = [];
    for (const { seq, key: other } of taken) if (other === key && !first.includes(seq)) first.push(seq);
    expect(first).toEqual([...first].sort((a, b) => a - b));
  }
}

describe('a schedule of notifications', () => {
  test('takes everything, in order under each key, in every order of what happens (two keys, three events, a failure)', () => {
    // Depth-first over all choices: a path is the list of choices made, and the next path counts one up.
    let path: { at: number; of: number }[] = [];
    let runs = 0;
    do {
      let i = 0;
      const pick = (of: number): number => {
        // Restarts are checked at random below; here they would make the tree endless.
        if (of === 40) return 0;
        const step = (path[i] ??= { at: 0, of });
        i += 1;
        return step.at;
      };
      const keys = ['a', 'b', 'a'];
      check(keys, run(keys, pick, [runs % 2]));
      runs += 1;
      path = path.slice(0, i);
      while (path.length > 0 && (path.at(-1)?.at ?? 0) + 1 >= (path.at(-1)?.of ?? 0)) path.pop();
      const last = path.at(-1);
      if (last !== undefined) last.at += 1;
    } while (path.length > 0 && runs < 50_000);
    expect(runs).toBeGreaterThan(20);
    expect(runs).toBeLessThan(50_000);
  });

  test('takes everything, in order under each key, whatever happens when, and whenever it is started again', () => {
    fc.assert(
      fc.property(
        fc.array(fc.constantFrom('a', 'b', 'c', 'd', 'e'), { minLength: 1, maxLength: 60 }),
        fc.array(fc.nat(1), { maxLength: 40 }),
        fc.infiniteStream(fc.nat(1_000_000)),
        (keys, failures, numbers) => {
          check(
            keys,
            run(keys, (of) => (numbers.next().value as number) % of, failures),
          );
        },
      ),
      { numRuns: 400 },
    );
  });

  test('what waits behind a head that is not due keeps no other head from being due', () => {
    const schedule = new NotificationSchedule<number>(LIMITS);
    schedule.setHead('late', { seq: 1, dueAt: 1000, attempts: 1 });
    schedule.setHead('early', { seq: 9, dueAt: 10, attempts: 1 });
    expect(schedule.beginAgain(5)).toBeUndefined();
    expect(schedule.beginAgain(10)).toMatchObject({ seq: 9 });
    expect(schedule.nextAt(10)).toBe(1000);
  });

  test('failures of tries that were under way together are one; each failed probe doubles the rest', () => {
    const schedule = new NotificationSchedule<number>({ ...LIMITS, most: 16, restsAfter: 5 });
    for (let seq = 0; seq < 16; seq += 1) schedule.add({ seq, key: `k${seq}`, item: seq });
    const begun = Array.from({ length: 16 }, () => schedule.beginFresh(0, 1)[0]);
    const { round } = schedule;
    for (const fresh of begun) {
      schedule.ended([fresh?.key ?? '']);
      schedule.failed(100, { round });
    }
    expect(schedule.restsUntil(100)).toBe(1100);
    expect(schedule.room(1100)).toBe(1);
    schedule.failed(1100, { round: schedule.round });
    expect(schedule.restsUntil(1100)).toBe(3100);
    schedule.succeeded();
    expect(schedule.room(1100)).toBe(16);
  });

  test('a consumer that says when to come again is left alone until then', () => {
    const schedule = new NotificationSchedule<number>(LIMITS);
    for (let n = 0; n < 2; n += 1) schedule.failed(0, { round: schedule.round, retryAfterMs: 6000 });
    expect(schedule.restsUntil(0)).toBe(6000);
    expect(schedule.nextAt(0)).toBe(6000);
  });
});
