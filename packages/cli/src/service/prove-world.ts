import { createServer, type Server } from 'node:http';
import { createServer as createNetServer, type AddressInfo, type Server as NetServer, type Socket } from 'node:net';
import { startSmtpProvider, type Behaviour as SmtpBehaviour, type SmtpSimulator } from '@verbalis/simulators';

/** What each recipient's server does, by the first word of the address; and the state that a delivery must end in. */
export const BEHAVIOURS = {
  accept: 'accepted',
  refuse: 'failed',
  greylist: 'accepted',
  bounce: 'failed',
  arrive: 'delivered',
  tarpit: 'accepted',
} as const;
export type Behaviour = keyof typeof BEHAVIOURS;

/** A provider and a consumer of events that keep account of the truth: they are not killed. */
export interface World {
  readonly smtpPort: number;
  /** A provider that accepts connections and never answers. */
  readonly mutePort: number;
  readonly consumerUrl: string;
  /** A consumer that never answers. */
  readonly hangingUrl: string;
  /** How often an address was sent an email that the provider accepted. */
  readonly accepted: (address: string) => number;
  /** Ids of events that have arrived, in the order of their first arrival, by delivery. */
  readonly events: ReadonlyMap<string, readonly string[]>;
  readonly arrivals: () => number;
  /** Reports are mailed elsewhere from now on. */
  readonly returnTo: (place: { readonly host: string; readonly port: number }) => void;
  /** How many reports are still to be mailed. */
  readonly reportsDue: () => number;
  readonly close: () => Promise<void>;
}

/** One notification in so many is answered with 503, so that retries are among what is proved. */
const REFUSED_ONE_OF = 50;
/** How long a tarpit takes to answer, in milliseconds. */
const TARPIT_MS = 1500;
/** How long after an email a report about it is mailed, in milliseconds. */
const REPORT_MS = 200;
const TAKEN = { code: 250, enhanced: '2.1.5', text: 'OK' };

function createMute(): { readonly server: NetServer; readonly close: () => Promise<unknown> } {
  const sockets = new Set<Socket>();
  const server = createNetServer((socket) => {
    sockets.add(socket.on('error', () => undefined));
    socket.on('close', () => sockets.delete(socket));
  });
  const close = (): Promise<unknown> => {
    for (const socket of sockets) socket.destroy();
    return new Promise((done) => server.close(done));
  };
  return { server, close };
}

function behave(behaviour: Behaviour, tries: number): SmtpBehaviour {
  switch (behaviour) {
    case 'accept':
      return { answer: TAKEN };
    case 'refuse':
      return { answer: { code: 550, enhanced: '5.1.1', text: 'no such user here' } };
    case 'greylist':
      return { answer: tries < 2 ? { code: 450, enhanced: '4.2.0', text: 'greylisted, come back later' } : TAKEN };
    case 'bounce':
      return { answer: TAKEN, later: { afterMs: REPORT_MS, what: 'failed' } };
    case 'arrive':
      return { answer: TAKEN, later: { afterMs: REPORT_MS, what: 'delivered' } };
    case 'tarpit':
      return { answer: TAKEN, afterMs: TARPIT_MS };
  }
}

/** @param returnsTo where the service listens for reports @param host where all of it listens */
export async function openWorld(returnsTo: { host: string; port: number }, host = '127.0.0.1'): Promise<World> {
  const simulator: SmtpSimulator = await startSmtpProvider({
    name: 'prover',
    host,
    port: 0,
    script: {},
    behaviour: (to, tries) => behave(to.slice(0, to.indexOf('-')) as Behaviour, tries),
    returnsTo,
    reportAfterMs: REPORT_MS,
  });
  const events = new Map<string, string[]>();
  const seen = new Set<string>();
  let arrivals = 0;
  const consumer: Server = createServer((request, response) => {
    let body = '';
    request.on('data', (chunk: Buffer) => (body += chunk.toString()));
    request.on('end', () => {
      arrivals += 1;
      if (arrivals % REFUSED_ONE_OF === 0) {
        response.writeHead(503).end();
        return;
      }
      const { id, subject = '' } = JSON.parse(body) as { id: string; subject?: string };
      if (!seen.has(id)) events.set(subject, [...(events.get(subject) ?? []), id]);
      seen.add(id);
      response.end();
    });
  });
  const mute = createMute();
  const hanging = createServer(() => undefined);
  const portOf = async (server: Server | NetServer): Promise<number> => {
    await new Promise<void>((done) => server.listen(0, host, done));
    return (server.address() as AddressInfo).port;
  };
  return {
    smtpPort: simulator.port,
    mutePort: await portOf(mute.server),
    consumerUrl: `http://${host}:${await portOf(consumer)}/`,
    hangingUrl: `http://${host}:${await portOf(hanging)}/`,
    accepted: (address) => simulator.seen.get(address)?.taken ?? 0,
    events,
    arrivals: () => arrivals,
    returnTo: (place) => {
      Object.assign(returnsTo, place);
    },
    reportsDue: simulator.reportsDue,
    async close() {
      for (const server of [consumer, hanging]) {
        server.closeAllConnections();
        await new Promise((done) => server.close(done));
      }
      await mute.close();
      await simulator.close();
    },
  };
}
