import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import { ledgerOn } from './ledger.js';
import { addressEndpoints, type AddressEndpoints } from './endpoints.js';

interface Options extends Pick<AddressEndpoints, 'store' | 'key' | 'keyOf'> {
  readonly ledgerFile: string;
}

/** Everything that is known about one address: exported, or erased. */
export function openAddresses({ clock }: Runtime, { ledgerFile, ...options }: Options): Feature {
  const ledger = ledgerOn(ledgerFile, options.key, clock.now);
  return { name: 'addresses', endpoints: serve(addressEndpoints, { ...options, clock, ledger }) };
}
