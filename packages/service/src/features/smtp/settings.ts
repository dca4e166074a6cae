import * as z from 'zod';
import { Network } from '../../kernel/index.js';
import type { ListenOptions } from './listen.js';

/** What every place that listens for SMTP can be given. @param usual the limits where none are set */
export const ListenerSettings = (usual: { readonly perAddress: number; readonly perMinute: number }) => ({
  /** Certificate and key in PEM, read again when they change: STARTTLS is offered then. */
  tls: z.strictObject({ certFile: z.string(), keyFile: z.string() }).optional(),
  limits: z
    .strictObject({
      connections: z.int().min(1).default(500).meta({ description: 'Concurrent connections.' }),
      perAddress: z.int().min(1).default(usual.perAddress).meta({ description: 'Concurrent connections from one address.' }),
      perMinute: z.int().min(1).default(usual.perMinute).meta({ description: 'How often one address may connect in a minute.' }),
    })
    .prefault({}),
  /** Addresses and networks of balancers, which say first for whom they speak (PROXY protocol, version 2). */
  proxies: z.array(Network).default([]),
});

interface Listening {
  readonly tls?: { readonly certFile: string; readonly keyFile: string } | undefined;
  readonly limits: { readonly connections: number; readonly perAddress: number; readonly perMinute: number };
  readonly proxies: readonly string[];
}

/** The same as options of a listener. */
export function listenerOptions(
  { tls, limits, proxies }: Listening,
  within: (path: string) => string,
): Pick<ListenOptions, 'tls' | 'limits' | 'proxies'> {
  return { limits, proxies, ...(tls === undefined ? {} : { tls: { certFile: within(tls.certFile), keyFile: within(tls.keyFile) } }) };
}
