import * as z from 'zod';
import { networks } from './networks.js';

// What settings are made of.

export const Port = z.int().min(0).max(65_535);
export const Host = z.string().min(1);
/** The name of something in the configuration: a space, a provider, a rule. */
export const Name = z.string().regex(/^[a-z0-9][a-z0-9-]{0,39}$/, 'must be small letters, digits and "-"');
/** An IP address, or a network of them. */
export const Network = z.string().refine(
  (entry) => {
    try {
      networks([entry]);
      return true;
    } catch {
      return false;
    }
  },
  { error: 'is neither an IP address nor a network', params: { hint: 'Write 192.0.2.7, 10.0.0.0/8 or 2001:db8::/32.' } },
);
export const Seconds = z.number().positive().max(3600);
