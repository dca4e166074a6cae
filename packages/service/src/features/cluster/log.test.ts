import { describe, expect, test } from '@jest/globals';
import { JetStreamApiError } from '@nats-io/jetstream';
import type { headers } from '@nats-io/transport-node';
import { pino } from 'pino';
import { BEGINNING } from '../../kernel/index.js';
import type { Cluster } from './connection.js';
import { Assembly, logSink, partOf, presentIn, type Part } from './log.js';

const SILENT = pino({ level: 'silent' });

interface Stored {
  readonly seq: number;
  readonly header: ReturnType<typeof headers>;
  readonly data: Uint8Array;
}

/** A log that does what the test says with each record that is offered. */
function fakeLog(faults: ('lost-before' | 'lost-answer' | 'silent')[] = []) {
  const records: Stored[] = [];
  let silent = 0;
  const cluster = {
    id: 'log',
    connection: { info: { max_payload: 1 << 20 } },
    names: { log: 'log', logSubject: 'log' },
    streams: {
      publish: (_subject: string, data: Uint8Array, options: { expect: { lastSequence: number }; headers: Stored['header'] }) => {
        const fault = faults.shift();
        if (fault === 'silent') silent = 2;
        if (fault === 'lost-before' || fault === 'silent') return Promise.reject(new Error('timeout'));
        if (options.expect.lastSequence !== records.length)
          return Promise.reject(
            new JetStreamApiError({ err_code: 10071, code: 400, description: `wrong last sequence: ${records.length}` }),
          );
        records.push({ seq: records.length + 1, header: options.headers, data });
        return fault === 'lost-answer' ? Promise.reject(new Error('timeout')) : Promise.resolve({ seq: records.length, duplicate: false });
      },
    },
    manager: {
      streams: {
        getMessage: (_name: string, { seq }: { seq: number }) => {
          if (silent > 0) {
            silent -= 1;
            return Promise.reject(new Error('timeout'));
          }
          return Promise.resolve(records[seq - 1] ?? null);
        },
      },
    },
  } as unknown as Cluster;
  return { cluster, records };
}

const signal = new AbortController().signal;
const plan = (cluster: Cluster, changes: string, after = BEGINNING) =>
  logSink(cluster, { log: SILENT, superseded: () => undefined }).plan({ at: 7, changes }, after, 3);

/** What a reader makes of the records. */
function read(records: readonly Stored[]) {
  const assembly = new Assembly();
  return records.flatMap((record) => assembly.add(partOf(record)) ?? []);
}

describe('writing into the log', () => {
  test('a group comes back as it was written, also in several parts', async () => {
    const { cluster, records } = fakeLog();
    const large = JSON.stringify(['é'.repeat(400_000)]);
    const first = plan(cluster, '["small"]');
    expect(await first.store(signal)).toBe(true);
    const second = plan(cluster, large, first.place);
    expect(await second.store(signal)).toBe(true);
    expect(records.length).toBeGreaterThan(2);
    expect(read(records)).toEqual([
      { place: first.place, at: 7, changes: '["small"]', layout: 3 },
      { place: second.place, at: 7, changes: large, layout: 3 },
    ]);
    expect(second.place.seq).toBe(records.length);
  });

  test.each([
    ['a record that did not arrive is offered again', ['lost-before'] as const],
    ['an answer that was lost is looked for', ['lost-answer'] as const],
    ['while nobody answers, it is asked again', ['silent', 'lost-answer', 'lost-before'] as const],
  ])('%s, and stands there once', async (_name, faults) => {
    const { cluster, records } = fakeLog([...faults]);
    expect(await plan(cluster, '[1]').store(signal)).toBe(true);
    expect(read(records)).toMatchObject([{ changes: '[1]' }]);
  });

  test('where another one has written, it is false, and nothing is added', async () => {
    const { cluster, records } = fakeLog();
    await plan(cluster, '["other"]').store(signal);
    expect(await plan(cluster, '["late"]').store(signal)).toBe(false);
    expect(read(records)).toMatchObject([{ changes: '["other"]' }]);
  });

  test('who gives up while nobody answers knows nothing', async () => {
    const { cluster } = fakeLog(['silent']);
    const end = new AbortController();
    end.abort();
    expect(await plan(cluster, '[1]').store(end.signal)).toBe('unknown');
  });
});

test('parts of a group without an end are passed over, whatever follows', () => {
  const part = (seq: number, group: string, isLast: boolean): Part => ({ seq, group, isLast, layout: 1, data: Buffer.from(`1\n${group}`) });
  const assembly = new Assembly();
  const all = [part(1, 'torn', false), part(2, 'whole', true), part(3, 'torn-again', false), part(4, 'two', false), part(5, 'two', true)];
  expect(all.flatMap((record) => assembly.add(record)?.place ?? [])).toEqual([
    { seq: 2, group: 'whole' },
    { seq: 5, group: 'two' },
  ]);
});

describe('brokers that have the log', () => {
  const peer = (more: object) => ({ name: 'b', current: true, active: 3e6, ...more });
  const present = (leader: string | undefined, ...replicas: object[]) =>
    presentIn({ config: { num_replicas: 3 }, cluster: { name: 'c', leader, replicas } } as never);

  test('all of them, and one that lacks the last records for a moment', () => {
    expect(present('a', peer({}), peer({}))).toBe(3);
    expect(present('a', peer({}), peer({ current: false, lag: 12 }))).toBe(3);
  });

  test.each([
    ['one that was not heard of', { current: false, active: 8e9, lag: 1 }],
    ['one that fetches what it lacks', { current: false, lag: 50_000 }],
    ['one that the others know to be away', { offline: true }],
  ])('not %s', (_name, more) => {
    expect(present('a', peer({}), peer(more))).toBe(2);
  });

  test('without a leader, those that speak of each other; a broker alone counts as all', () => {
    expect(present(undefined, peer({ current: false, active: 48e9 }), peer({}), peer({}))).toBe(2);
    expect(presentIn({ config: { num_replicas: 1 } } as never)).toBe(1);
  });
});
