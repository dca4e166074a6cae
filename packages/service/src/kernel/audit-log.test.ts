import { expect, test } from '@jest/globals';
import type { Caller } from './access.js';
import { audited, inAct, type AuditEntry, type AuditLog } from './audit-log.js';
import { notesFile } from './test-kernel.js';
import type { Tx } from './transaction.js';

const caller: Caller = {
  space: 'harbour',
  scopes: new Set(['write']),
  operator: false,
  actor: { kind: 'person', id: 'f1', name: 'mara@saltmarsh-ferries.example' },
  readsContent: true,
};

/** A request that is audited, on a file in which changes and entries are notes. */
function auditedNotes(options: Parameters<typeof notesFile>[0] = {}) {
  const notes = notesFile(options);
  const write = <T>(run: (tx: Tx) => T): Promise<T> => notes.group.write(inAct(run));
  let count = 0;
  const entries: AuditEntry[] = [];
  const log: AuditLog = {
    covers: () => true,
    add: (_tx, entry) => {
      count += 1;
      entries.push(entry);
      notes.insert.run(`entry ${entry.action} ${entry.target ?? ''}`.trim());
      return count;
    },
    setTarget: (_tx, _seq, target) => {
      notes.insert.run(`target ${target}`);
    },
    addReading: (entry) => write(() => void notes.insert.run(`reading ${entry.action}`)),
    write,
  };
  const ask = (run: () => unknown, kind: 'change' | 'reading' = 'change', params?: unknown): Promise<unknown> => {
    const call = { caller, params, query: undefined, headers: undefined, body: undefined } as never;
    return audited(log, { endpoint: { name: 'notes.add', scope: 'write', audited: kind }, address: '127.0.0.1' }, call, run);
  };
  const note = (text: string): Promise<unknown> => write(() => void notes.insert.run(text));
  return { ...notes, ask, note, write, entries };
}

test('a change and its entry are written together, and the entry once', async () => {
  const { ask, note, all } = auditedNotes();
  await ask(async () => {
    await note('a');
    await note('b');
    return { id: 'n1' };
  });
  expect(all()).toEqual(['a', 'b', 'entry notes.add', 'target n1']);
});

test('what could not be committed has no entry; tried again, it has one', async () => {
  let fails = true;
  const { ask, note, all, raw } = auditedNotes();
  raw.function('stop', () => {
    if (fails) throw Object.assign(new Error('the disk is full'), { code: 'SQLITE_FULL' });
    return 0;
  });
  raw.exec("create trigger full after insert on notes when new.text like 'entry%' begin select stop(); end");
  await expect(ask(() => note('a'))).rejects.toThrow();
  expect(all()).toEqual([]);
  fails = false;
  await ask(() => note('a'));
  expect(all()).toEqual(['a', 'entry notes.add']);
});

test('a request that is refused after all has what it changed, and the entry of that', async () => {
  const { ask, note, all } = auditedNotes();
  const refused = ask(() => Promise.reject(new Error('refused')));
  await expect(refused).rejects.toThrow('refused');
  expect(all()).toEqual([]);
  const late = ask(async () => {
    await note('a');
    throw new Error('too late');
  });
  await expect(late).rejects.toThrow('too late');
  expect(all()).toEqual(['a', 'entry notes.add']);
});

test('what changed no row has no entry; what changed something that is no row has one', async () => {
  const { ask, write, all } = auditedNotes();
  await ask(() => write(() => 'nothing'));
  expect(all()).toEqual([]);
  await ask(() => ({ name: 'a file' }));
  expect(all()).toEqual(['entry notes.add a file']);
});

test('work that a request has started and that goes on after it is not the request’s', async () => {
  const { ask, note, all, entries } = auditedNotes();
  let goOn = (): void => undefined;
  const started = new Promise<void>((done) => {
    goOn = done;
  });
  let later: Promise<unknown> | undefined;
  await ask(
    () => {
      later = started.then(() => note('later'));
      return undefined;
    },
    'change',
    { id: 'x1' },
  );
  goOn();
  await later;
  expect(all()).toEqual(['entry notes.add x1', 'later']);
  expect(entries).toHaveLength(1);
});

test('a reading is written before anything is shown', async () => {
  const { ask, all } = auditedNotes();
  let seen: string[] = [];
  await ask(() => {
    seen = all();
    return undefined;
  }, 'reading');
  expect(seen).toEqual(['reading notes.add']);
});
