import { isIP } from 'node:net';
import * as z from 'zod';
import { Port, Seconds } from '../../kernel/index.js';

/** An address with or without a port: "192.0.2.53", "192.0.2.53:5353", "[2001:db8::53]:5353". */
const Server = z.string().refine((text) => readServer(text) !== undefined, { message: 'is not an IP address with or without a port' });

/** @returns undefined for what is not an address */
export function readServer(text: string): { readonly address: string; readonly port: number } | undefined {
  if (isIP(text) !== 0) return { address: text, port: 53 };
  const [, six, four, port] = /^(?:\[([0-9A-Fa-f:.]+)\]|([\d.]+)):(\d{1,5})$/.exec(text) ?? [];
  const address = six ?? four;
  return address === undefined || isIP(address) === 0 || Number(port) > 65_535 || Number(port) === 0
    ? undefined
    : { address, port: Number(port) };
}

export const NameServerSettings = z
  .strictObject({
    check: z.boolean().default(true).meta({
      description:
        'Whether sending domains are checked. Where the DNS cannot be asked: false; keys then sign immediately, and mistakes are not detected.',
    }),
    servers: z.array(Server).default([]).meta({ description: 'Resolvers, with or without a port; left out: those of the system.' }),
    port: Port.default(53).meta({ description: 'The port at which the authoritative servers of a zone are asked.' }),
    waitSeconds: Seconds.default(5).meta({ description: 'How long an answer is waited for.' }),
  })
  .prefault({});
export type NameServerSettings = z.infer<typeof NameServerSettings>;
