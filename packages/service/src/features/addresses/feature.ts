import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import { addressEndpoints, type AddressEndpoints } from './endpoints.js';

type Options = Pick<AddressEndpoints, 'store' | 'key' | 'ledgerFile' | 'keyOf'>;

/** Everything that is known about one address: exported, or erased. */
export function openAddresses({ clock }: Runtime, options: Options): Feature {
  return { name: 'addresses', endpoints: serve(addressEndpoints, { ...options, clock }) };
}
