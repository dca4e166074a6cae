import type { Member } from '../features/cluster/index.js';
import type { Service, StartOptions } from './service.js';

export type Role = Member['role'];

/** A service as a node of a cluster: its part changes while it runs. */
export interface Node {
  readonly name: string;
  readonly url: string;
  readonly role: () => Role;
  /** The service that writes, while this node is the primary. */
  readonly primary: () => Service | undefined;
  /** Resolves with a sentence when the node can go on with no part. */
  readonly failed: Promise<string>;
  readonly stop: () => Promise<void>;
}

export interface NodeOptions extends StartOptions {
  /** Of this program, for the other nodes. */
  readonly version: string;
  /** Is called when the part of this node has changed. */
  readonly changed?: (role: Role) => void;
}
