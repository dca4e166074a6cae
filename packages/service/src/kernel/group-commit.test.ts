import { expect, test } from '@jest/globals';
import { notesFile } from './test-kernel.js';
import { Tx, type Connection, type KERNEL } from './transaction.js';
import { StoreUnavailable } from './unavailable.js';

const statuses = (results: readonly PromiseSettledResult<unknown>[]): string => results.map((result) => result.status[0]).join('');

test('each transaction runs exactly once, and one that throws undoes only itself', async () => {
  const { group, insert, all } = notesFile();
  const ran = new Map<string, number>();
  const write = (text: string, fault?: string) =>
    group.write(() => {
      ran.set(text, (ran.get(text) ?? 0) + 1);
      insert.run(text);
      insert.run(`${text}-2`);
      if (fault !== undefined) throw new Error(fault);
      return text;
    });
  // "a" again breaks the unique column; "boom" throws after it has written.
  const results = await Promise.allSettled([write('a'), write('b', 'boom'), write('c'), write('a'), write('d')]);
  expect(statuses(results)).toBe('frfrf');
  expect(ran).toEqual(new Map([['a', 2], ['b', 1], ['c', 1], ['d', 1]])); // oxfmt-ignore
  expect(all()).toEqual(['a', 'a-2', 'c', 'c-2', 'd', 'd-2']);
  expect(results[1]).toMatchObject({ reason: { message: 'boom' } });
});

test('effects run after the commit, before the promise resolves, in order; never those of what was undone', async () => {
  const { group, insert, all } = notesFile();
  const seen: string[] = [];
  const write = (text: string, isBad = false) =>
    group
      .write((tx) => {
        tx.afterCommit(() => seen.push(`${text}: ${all().join(',')}`));
        insert.run(text);
        if (isBad) throw new Error('no');
      })
      .then(
        () => seen.push(`${text} resolved`),
        () => seen.push(`${text} rejected`),
      );
  await Promise.all([write('a'), write('bad', true), write('b')]);
  expect(seen).toEqual(['a: a,b', 'b: a,b', 'a resolved', 'bad rejected', 'b resolved']);
});

test('one that has the group for itself is undone as well, and the next goes well', async () => {
  const { group, insert, all } = notesFile();
  const effects: string[] = [];
  const bad = group.write((tx) => {
    tx.afterCommit(() => effects.push('bad'));
    insert.run('a');
    throw new Error('boom');
  });
  await expect(bad).rejects.toThrow('boom');
  const full = group.write(() => {
    insert.run('b');
    throw Object.assign(new Error('full'), { code: 'SQLITE_FULL' });
  });
  await expect(full).rejects.toThrow('The disk is full.');
  await group.write((tx) => {
    tx.afterCommit(() => effects.push('good'));
    insert.run('a');
  });
  expect([all(), effects]).toEqual([['a'], ['good']]);
});

test('an effect that throws harms nobody', async () => {
  const { group, insert, all } = notesFile();
  const bad = group.write((tx) => {
    tx.afterCommit(() => {
      throw new Error('an effect');
    });
    insert.run('a');
  });
  const good = group.write(() => insert.run('b'));
  expect(statuses(await Promise.allSettled([bad, good]))).toBe('ff');
  expect(all()).toEqual(['a', 'b']);
});

test('a transaction that returns a promise is undone, and nothing can be written through it later', async () => {
  const { group, insert, all } = notesFile();
  let kept: Tx | undefined;
  const late = group.write((tx) => {
    kept = tx;
    insert.run('a');
    return Promise.resolve();
  });
  await expect(late).rejects.toThrow('A transaction is synchronous');
  expect(all()).toEqual([]);
  expect(() => kept?.db).toThrow('has ended');
  expect(() => kept?.afterCommit(() => undefined)).toThrow('has ended');
});

test('only the kernel makes a transaction', () => {
  expect(() => new Tx(Symbol('mine') as unknown as typeof KERNEL, undefined as unknown as Connection)).toThrow('Only the kernel');
});

test('when SQLite gives the whole group up, every member is refused as retryable and no effect runs', async () => {
  const { group, insert, raw, all } = notesFile();
  const effects: string[] = [];
  const write = (text: string) =>
    group.write((tx) => {
      tx.afterCommit(() => effects.push(text));
      insert.run(text);
      if (text === 'b') {
        // What SQLite does when the disk is full or does not answer.
        raw.exec('rollback');
        throw Object.assign(new Error('full'), { code: 'SQLITE_FULL' });
      }
    });
  const results = await Promise.allSettled(['a', 'b', 'c'].map(write));
  // "c" had not run: it belongs to the next group.
  expect(statuses(results)).toBe('rrf');
  for (const result of results.slice(0, 2))
    expect(result).toMatchObject({ reason: { name: 'StoreUnavailable', message: 'The disk is full.' } });
  expect([all(), effects]).toEqual([['c'], ['c']]);
});

test('when COMMIT fails, every member is refused as retryable, nothing is written, and the next group goes well', async () => {
  const { group, raw, all } = notesFile();
  raw.pragma('foreign_keys = ON');
  raw.exec(
    'create table parents (id integer primary key); create table children (parent integer references parents (id) deferrable initially deferred)',
  );
  const effects: string[] = [];
  const add = raw.prepare('insert into notes values (?)');
  const orphan = raw.prepare('insert into children values (7)');
  const results = await Promise.allSettled([
    group.write((tx) => {
      tx.afterCommit(() => effects.push('a'));
      add.run('a');
    }),
    // A deferred constraint is checked by COMMIT itself.
    group.write(() => orphan.run()),
  ]);
  expect(statuses(results)).toBe('rr');
  expect(results.every((result) => result.status === 'rejected' && result.reason instanceof StoreUnavailable)).toBe(true);
  expect([all(), effects]).toEqual([[], []]);
  await group.write(() => add.run('later'));
  expect(all()).toEqual(['later']);
});

test('while another process writes, the event loop goes on, and then ours is written', async () => {
  const { group, other, insert, all } = notesFile();
  other.exec("begin immediate; insert into notes values ('theirs')");
  const done = group.write(() => insert.run('ours'));
  // Were this process to wait for the other with its event loop stopped, it could never end what the other waits for.
  for (let turn = 0; turn < 5; turn += 1) await new Promise((next) => setImmediate(next));
  expect(group.busy).toBe(true);
  other.exec('commit');
  await done;
  expect(all()).toEqual(['ours', 'theirs']);
});

test('who has waited too long for another process is refused as retryable; who comes later waits in turn', async () => {
  const { group, other, insert, all } = notesFile({ patienceMs: 30 });
  other.exec('begin immediate');
  await expect(group.write(() => insert.run('early'))).rejects.toThrow('Another process is writing');
  other.exec('commit');
  await group.write(() => insert.run('late'));
  expect(all()).toEqual(['late']);
});

test('a queue that is full refuses at once', async () => {
  const { group, other, insert } = notesFile({ mostWaiting: 2, patienceMs: 50 });
  other.exec('begin immediate');
  const first = [group.write(() => insert.run('a')), group.write(() => insert.run('b'))].map((promise) => promise.catch(() => 'refused'));
  await expect(group.write(() => insert.run('c'))).rejects.toThrow('2 writes are waiting');
  other.exec('rollback');
  await Promise.all(first);
});

test('what nobody waits for is written with the next, or when someone hurries', async () => {
  const { group, insert, all } = notesFile();
  const soon = group.writeSoon(() => insert.run('a'));
  expect(all()).toEqual([]);
  group.writeNow();
  await soon;
  expect(all()).toEqual(['a']);
  const again = group.writeSoon(() => insert.run('b'));
  await group.write(() => insert.run('c'));
  await again;
  expect(all()).toEqual(['a', 'b', 'c']);
});

test('closing writes what waits', async () => {
  const { group, insert, all } = notesFile();
  const waiting = [group.writeSoon(() => insert.run('a')), group.write(() => insert.run('b'))];
  await group.close();
  await Promise.all(waiting);
  expect(all()).toEqual(['a', 'b']);
});

/** A group commit whose groups are stored elsewhere before they are committed: the test decides how that goes. */
function sharedNotes(options: Parameters<typeof notesFile>[0] = {}) {
  const asked: ((isStored: boolean | 'unknown') => void)[] = [];
  let superseded = 0;
  const notes = notesFile({
    ...options,
    changes: {
      mark: () => 0,
      undoTo: () => undefined,
      seal: () => (signal) =>
        new Promise((resolve) => {
          asked.push(resolve);
          signal.addEventListener('abort', () => {
            resolve('unknown');
          });
        }),
      committed: () => undefined,
      superseded: () => (superseded += 1),
    },
  });
  return {
    ...notes,
    superseded: () => superseded,
    asked,
    /** Resolves once so many groups were to be stored. */
    groups: async (n: number): Promise<void> => {
      while (asked.length < n) await new Promise((done) => setImmediate(done));
    },
  };
}

test('a group that others store is not committed, and nobody is answered, before it is stored', async () => {
  const { group, insert, all, groups, asked } = sharedNotes();
  const seen: string[] = [];
  const write = (text: string) =>
    group
      .write((tx) => {
        tx.afterCommit(() => seen.push(`effect ${text}`));
        insert.run(text);
      })
      .then(() => seen.push(text));
  const first = [write('a'), write('b')];
  await groups(1);
  const second = write('c');
  for (let i = 0; i < 20; i += 1) await new Promise((done) => setImmediate(done));
  expect([all(), seen, asked.length, group.busy, group.doubtMs > 0]).toEqual([[], [], 1, true, true]);
  asked[0]?.(true);
  await Promise.all(first);
  expect([all(), seen]).toEqual([['a', 'b'], ['effect a', 'effect b', 'a', 'b']]); // oxfmt-ignore
  await groups(2);
  asked[1]?.(true);
  await second;
  expect([all(), group.busy, group.doubtMs]).toEqual([['a', 'b', 'c'], false, 0]);
});

test('a group that another service was before is undone, and nothing is written any more', async () => {
  const { group, insert, all, groups, asked, superseded } = sharedNotes();
  const effects: string[] = [];
  const write = (text: string) =>
    group.write((tx) => {
      tx.afterCommit(() => effects.push(text));
      insert.run(text);
    });
  const writes = [write('a'), write('b')];
  await groups(1);
  const behind = write('c');
  asked[0]?.(false);
  for (const refused of await Promise.allSettled([...writes, behind, write('d')]))
    expect(refused).toMatchObject({
      status: 'rejected',
      reason: { name: 'StoreUnavailable', message: expect.stringContaining('taken over') },
    });
  expect([all(), effects, superseded(), asked.length]).toEqual([[], [], 1, 1]);
});

test('behind a group in doubt nobody waits for ever, and what is refused was not written', async () => {
  const { group, insert, all, groups, asked } = sharedNotes({ patienceMs: 1 });
  const first = group.write(() => insert.run('a'));
  await groups(1);
  await expect(group.write(() => insert.run('b'))).rejects.toMatchObject({
    name: 'StoreUnavailable',
    message: expect.stringContaining('do not confirm'),
  });
  asked[0]?.(true);
  await first;
  expect(all()).toEqual(['a']);
});

test('a group in doubt does not keep the service from ending; whether it is stored, the log knows', async () => {
  const { group, insert, all, groups } = sharedNotes({ closeMs: 1 });
  const first = group.write(() => insert.run('a'));
  await groups(1);
  const behind = group.write(() => insert.run('b'));
  const refused = Promise.allSettled([first, behind]);
  await group.close();
  expect(statuses(await refused)).toBe('rr');
  expect(all()).toEqual([]);
});
