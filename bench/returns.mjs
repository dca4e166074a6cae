// Events of a provider's callbacks: read by a profile, matched, written with their facts and the state that follows; against bare inserts of
// the same rows (a return and a fact each) in one transaction.
import { randomBytes } from 'node:crypto';
import { join } from 'node:path';
import Sqlite from 'better-sqlite3';
import { z } from 'zod';
import { folder, root } from './support/processes.mjs';

const DELIVERIES = 5000;
const EVENTS = 10_000;

export default async function bench() {
  const service = (door) => import(join(root, `packages/service/dist/${door}`));
  const { openStore } = await service('records/index.js');
  const { callbackReceiver } = await service('features/callbacks/index.js');
  const { suppressing } = await service('features/suppressions/index.js');
  const { PROFILE_SHAPE, readProfile } = await import(join(root, 'packages/core/dist/profile/index.js'));
  const { newId, SYSTEM_CLOCK, workerGroup } = await service('kernel/index.js');
  const log = { info() {}, warn() {}, error: console.error };
  const store = await openStore(join(folder(), 'ours.sqlite'), { log, clock: SYSTEM_CLOCK });
  const profile = z.strictObject(PROFILE_SHAPE).parse({
    request: { url: 'https://api.example', json: {} },
    callbacks: {
      signature: { kind: 'secret', at: 'header:x', value: 'a long secret' },
      fields: { id: '$.nr', type: '$.what', mail: '$.letter', at: '$.when', status: '$.status', code: '$.code', reason: '$.text' },
      words: { arrived: 'delivered', late: 'delayed' },
    },
  });
  const { callbacks } = readProfile(profile);
  const suppress = suppressing({ store, log, plan: { after: 3, spreadMs: 1 }, anyCase: false, master: Buffer.alloc(32) });
  const desk = callbackReceiver({
    store,
    workers: workerGroup({ clock: SYSTEM_CLOCK, log }),
    clock: SYSTEM_CLOCK,
    log,
    suppressing: suppress,
    profiles: new Map([['parcel', callbacks]]),
  });
  desk.start();
  const now = Date.now();
  await store.write((tx) => {
    for (let i = 0; i < DELIVERIES; i += 1) {
      const id = newId('m', now);
      const delivery = newId('d', now);
      const message = {
        id,
        space: 'x',
        edition: 1,
        template: 't',
        locale: 'en',
        topic: null,
        subject: 's',
        sender: { name: '', address: 'a@b.example' },
        to: [],
        more: {},
        reference: null,
        labels: {},
        data: {},
        headerId: id,
        bodyUntil: null,
        dataUntil: null,
        factsUntil: null,
        createdAt: now,
      };
      const row = {
        id: delivery,
        messageId: id,
        space: 'x',
        address: `guest${i}@post.example`,
        state: 'queued',
        cause: null,
        attempts: 0,
        createdAt: now,
        nextAttemptAt: now,
        notBefore: null,
        owner: null,
        fairnessKey: '0/x//',
        domain: 'post.example',
        senderDomain: 'saltmarsh-ferries.example',
        expiresAt: null,
        decidedBy: null,
        avoid: null,
        unfit: null,
        unsettled: null,
        unsettledAt: null,
        heldFrom: null,
        heldBy: null,
        intended: null,
        kept: false,
        sensitive: false,
      };
      store.messages.insert(tx, { message, deliveries: [row], idempotency: undefined });
      const attemptId = newId('a', now);
      const end = {
        endedAt: now,
        outcome: 'accepted',
        phase: 'request',
        replyCode: null,
        status: null,
        diagnostic: null,
        providerId: `parcel-${i}`,
      };
      const fact = {
        id: `${attemptId}:accepted`,
        deliveryId: delivery,
        kind: 'accepted',
        source: 'attempt',
        at: now,
        cause: undefined,
        status: undefined,
        replyCode: undefined,
        diagnostic: undefined,
      };
      store.deliveries.endAttempt(
        tx,
        { id: attemptId, deliveryId: delivery, owner: 'x', number: 1, provider: 'parcel', startedAt: now, hasBegun: false },
        { end, fact, next: { at: undefined }, recordedAt: now },
      );
    }
  });
  /** As the endpoint does it: the call is read when it comes, and its events are written. */
  const receive = (body) => {
    const call = { method: 'POST', url: 'https://us.example/v1/callbacks/parcel', headers: {}, body };
    return desk.receive('parcel', callbacks.events.raw(call, callbacks.content.read(body).inside));
  };
  let n = 0;
  const bare = new Sqlite(join(folder(), 'bare.sqlite'));
  bare.pragma('journal_mode = WAL');
  bare.pragma('synchronous = FULL');
  bare.exec(`create table returns (id text primary key, hash text not null unique, space text, source text, provider text, received_at integer, envelope_from text, envelope_to text, kind text, delivery_id text, told text, bytes blob);
    create index r1 on returns (space, id); create index r2 on returns (delivery_id);
    create table facts (id text primary key, delivery_id text, kind text, source text, at integer, recorded_at integer, cause text, status text, reply_code integer, diagnostic text, return_id text);
    create index f1 on facts (delivery_id);`);
  const insertReturn = bare.prepare('insert into returns values (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)');
  const insertFact = bare.prepare('insert into facts values (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)');
  const told = JSON.stringify({
    subject: 'late',
    recipients: [
      {
        address: 'guest@post.example',
        action: 'delayed',
        status: '4.2.2',
        replyCode: 452,
        cause: 'mailbox-full',
        evidence: '4.2.2',
        confidence: 'sure',
        permanent: false,
        diagnostic: '452 4.2.2 mailbox full',
      },
    ],
  });
  const event = (i) => ({
    nr: `e${n}-${i}`,
    what: i % 2 === 0 ? 'arrived' : 'late',
    letter: `parcel-${i % DELIVERIES}`,
    when: now,
    status: '4.2.2',
    code: 452,
    text: '452 4.2.2 mailbox full',
  });
  return [
    {
      name: `returns: ${EVENTS} events of callbacks in batches of 500, against bare inserts of the same rows in one transaction`,
      unit: 'events/s',
      ours: async () => {
        n += 1;
        const from = performance.now();
        for (let i = 0; i < EVENTS; i += 500)
          await receive(Buffer.from(JSON.stringify(Array.from({ length: 500 }, (_, k) => event(i + k)))));
        while (store.callbacks.waiting() > 0) await new Promise((done) => setTimeout(done, 5));
        return (EVENTS * 1000) / (performance.now() - from);
      },
      baseline: () => {
        const from = performance.now();
        bare.transaction(() => {
          for (let i = 0; i < EVENTS; i += 1) {
            const id = randomBytes(13).toString('hex');
            insertReturn.run(
              id,
              randomBytes(32).toString('hex'),
              'x',
              'callback',
              'parcel',
              now,
              '',
              '',
              'delivery-status',
              `d${i}`,
              told,
              Buffer.from(JSON.stringify(event(i))),
            );
            insertFact.run(
              `callback:${id}`,
              `d${i}`,
              'delayed',
              'return',
              now,
              now,
              'mailbox-full',
              '4.2.2',
              452,
              '452 4.2.2 mailbox full',
              id,
            );
          }
        })();
        return (EVENTS * 1000) / (performance.now() - from);
      },
      close: async () => {
        await desk.stop();
      },
    },
  ];
}
