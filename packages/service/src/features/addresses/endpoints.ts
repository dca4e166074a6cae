import { addressText, isFault, parseAddress } from '@verbalis/core/mime';
import { completeAct, endpointsOf, instant, invalid, json, textParams, type Caller } from '../../kernel/index.js';
import { erase, type ErasingOptions } from './erase.js';
import { ERASED, mentionOf } from './mention.js';
import { AddressExport, Erasure } from './model.js';
import type { Subject } from './queries.js';

export interface AddressEndpoints extends ErasingOptions {
  /** As addresses are compared. */
  readonly keyOf: (address: string) => string;
}

const endpoint = endpointsOf<AddressEndpoints>();

function subjectOf({ keyOf }: AddressEndpoints, { space, operator }: Caller, text: string): Subject {
  const parsed = parseAddress(text);
  if (isFault(parsed)) throw invalid([{ path: 'address', message: parsed.fault, hint: parsed.hint }]);
  const address = addressText(parsed);
  return { space, address, key: keyOf(address), mention: mentionOf(address), withUnowned: operator };
}

const exportAll = endpoint({
  name: 'addresses.export',
  method: 'get',
  path: '/v1/addresses/{address}/export',
  summary: 'Everything that is known about an address in the space',
  scope: 'manage',
  showsContent: true,
  params: textParams('address'),
  answers: {
    200: json(
      'Messages with their bodies and outcomes, consent, suppressions, returns, inbound mail, signals and captured emails.',
      AddressExport,
    ),
  },
  run({ caller, params: { address: text } }, deps) {
    const { store, clock } = deps;
    const { space } = caller;
    const subject = subjectOf(deps, caller, text);
    const own = store.addresses.deliveriesTo(subject);
    const ids = own.map(({ id }) => id);
    const { facts, attempts } = store.addresses.factsOf(ids);
    const rows = new Map(own.flatMap(({ messageId }) => store.messages.findAny(messageId) ?? []).map((row) => [row.id, row]));
    for (let after: string | undefined = ''; after !== undefined;) {
      const { rows: named, next } = store.addresses.messagesNaming(subject, after);
      for (const row of named) rows.set(row.id, row);
      after = next;
    }
    return {
      address: subject.address,
      space,
      at: instant(clock.now()),
      messages: [...rows.values()].map((row) => ({
        ...row,
        createdAt: instant(row.createdAt),
        deliveries: own
          .filter(({ messageId }) => messageId === row.id)
          .map((delivery) => ({
            ...delivery,
            attempts: attempts.filter(({ deliveryId }) => deliveryId === delivery.id),
            facts: facts.filter(({ deliveryId }) => deliveryId === delivery.id),
            email: store.messages.mail(delivery.id)?.toString('utf8'),
          })),
      })),
      consents: store.consents.of(space, subject.key).map((row) => ({ ...row })),
      suppressions: store.addresses.suppressionsOf(subject).map((row) => ({ ...row })),
      returns: store.addresses.returnsOf(subject, ids).map(({ bytes, ...row }) => ({ ...row, source: bytes.toString('utf8') })),
      inbound: store.inbound
        .naming({ space, unowned: subject.withUnowned, needle: subject.mention.needle })
        .flatMap(({ bytes, ...row }) =>
          subject.mention.isIn(`${JSON.stringify(row)}\n${bytes.toString('latin1')}`) ? [{ ...row, source: bytes.toString('utf8') }] : [],
        ),
      signals: store.signals
        .holding(space, subject.mention.needle)
        .flatMap(({ data, ...row }) => (subject.mention.isIn(data ?? '') ? [{ ...row, data: JSON.parse(data ?? 'null') as unknown }] : [])),
      captured: store.addresses.capturedOf(subject).map(({ text: source, ...row }) => ({ ...row, source })),
    };
  },
});

const eraseAll = endpoint({
  name: 'addresses.erase',
  method: 'post',
  path: '/v1/addresses/{address}/erase',
  summary: 'Remove everything that is known about an address in the space; its suppressions stay in force',
  scope: 'manage',
  params: textParams('address'),
  answers: { 200: json('What was removed. It stands nowhere in the database any more.', Erasure) },
  refusals: { 409: 'An email to the address is under way.' },
  isRepeatable: true,
  async run({ caller, params: { address } }, deps) {
    const subject = subjectOf(deps, caller, address);
    // The audit log must not be where it still stands.
    completeAct({ target: ERASED });
    return { address: subject.address, ...(await erase(deps, subject)) };
  },
});

/** What is known about one address. */
export const addressEndpoints = [exportAll, eraseAll];
