import { spawnSync } from 'node:child_process';

/** A machine of a network on this one: where it is reached, and how its programs are started there. */
export interface NetworkPlace {
  readonly address: string;
  /** Words that a command line begins with, so that its program runs there. */
  readonly within: readonly string[];
  /** Drops everything that is sent to it or by it, without closing connections. */
  readonly cut: () => void;
  readonly mend: () => void;
}

/** A network on this machine. */
export interface LocalNetwork {
  /** Where what is outside of the machines listens: brokers, providers. */
  readonly host: string;
  readonly subnet: string;
  /** Adds a machine. */
  readonly join: () => NetworkPlace;
  readonly remove: () => void;
}

function ip(...args: string[]): void {
  const { status, stderr } = spawnSync('ip', args, { encoding: 'utf8' });
  if (status !== 0) throw new Error(`ip ${args.join(' ')}: ${stderr.trim()}`);
}

/**
 * Makes a network of network namespaces that are joined by a bridge, so that a machine can be cut off as by a pulled cable: what is sent to it is lost,
 * and connections stay open on both sides.
 * @returns undefined where that is not possible: it needs Linux, iproute2, and root
 */
export function openLocalNetwork(): LocalNetwork | undefined {
  const name = `vb${process.pid}`;
  // A network that no other process has made.
  const net = `10.199.${process.pid % 250}`;
  const made: string[] = [];
  const remove = (): void => {
    for (const namespace of made) spawnSync('ip', ['netns', 'del', namespace]);
    spawnSync('ip', ['link', 'del', name]);
  };
  try {
    ip('link', 'add', name, 'type', 'bridge');
    ip('addr', 'add', `${net}.1/24`, 'dev', name);
    ip('link', 'set', name, 'up');
    // Whether namespaces can be made is seen when one is.
    ip('netns', 'add', `${name}-0`);
    made.push(`${name}-0`);
  } catch {
    remove();
    return undefined;
  }
  return {
    host: `${net}.1`,
    subnet: `${net}.0/24`,
    join() {
      const n = made.length;
      const [namespace, near] = [`${name}-${n}`, `${name}e${n}`];
      ip('netns', 'add', namespace);
      made.push(namespace);
      ip('link', 'add', near, 'type', 'veth', 'peer', 'name', 'eth0', 'netns', namespace);
      ip('link', 'set', near, 'master', name);
      ip('link', 'set', near, 'up');
      ip('-n', namespace, 'addr', 'add', `${net}.${10 + n}/24`, 'dev', 'eth0');
      for (const device of ['lo', 'eth0']) ip('-n', namespace, 'link', 'set', device, 'up');
      return {
        address: `${net}.${10 + n}`,
        within: ['ip', 'netns', 'exec', namespace],
        cut: () => {
          ip('link', 'set', near, 'down');
        },
        mend: () => {
          ip('link', 'set', near, 'up');
        },
      };
    },
    remove,
  };
}
