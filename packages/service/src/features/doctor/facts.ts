/** Whom something listens for. */
export interface Listening {
  /** As people read it: "The console and the API". */
  readonly name: string;
  readonly host: string;
  readonly port: number;
  /** Whether secrets travel over it. */
  readonly takesSecrets: boolean;
  readonly hasTls: boolean;
}

export interface SpaceFacts {
  readonly name: string;
  readonly delivers: boolean;
  readonly providers: readonly string[];
  /** Domains that it sends as, that need our signature and have none; undefined where it is not known what it sends as. */
  readonly unsignedDomains: readonly string[] | undefined;
  /** Optional topics of its mail folder. */
  readonly optionalTopics: readonly string[];
  readonly isPublished: boolean;
}

export interface ProviderFacts {
  readonly name: string;
  /** Whether email goes out through it to the outside. */
  readonly isOutside: boolean;
  readonly isUsed: boolean;
  readonly hasAccepted: boolean;
  readonly trouble: string | undefined;
  /** Whether email and password travel in the open to another machine. */
  readonly isInTheOpen: boolean;
}

/** What is known of the records; undefined where there is no database yet. */
export interface RecordFacts {
  readonly activeKeys: number;
  readonly people: number;
  readonly quarantined: number;
  /** When the newest record was made, by the clock of then. */
  readonly newestAt: number | undefined;
}

/** This service as a node of a cluster. */
export interface ClusterFacts {
  /** Brokers of the configuration, and how many of them have each record. */
  readonly servers: number;
  /** What is wrong with the standbys, in a sentence; undefined where one could take over, or nobody has looked. */
  readonly trouble: string | undefined;
  /** Whether this node runs, so that its standbys are known. */
  readonly isKnown: boolean;
  /** Whether connections to the brokers are encrypted, or stay on this machine. */
  readonly isSafe: boolean;
}

/** All that is looked at. Times are milliseconds since the epoch. */
export interface DoctorFacts {
  readonly now: number;
  /** "20.20.2" */
  readonly node: string;
  /** Files that hold secrets or records, with their mode; undefined where there is no such file. */
  readonly files: readonly {
    readonly name: string;
    readonly path: string;
    readonly mode: number | undefined;
    readonly hasSecrets: boolean;
  }[];
  /** From the environment; undefined where the service's own is used, which cannot be guessed. */
  readonly chosenSecret: string | undefined;
  readonly publicUrl: string | undefined;
  readonly hasProxies: boolean;
  readonly listening: readonly Listening[];
  readonly spaces: readonly SpaceFacts[];
  readonly providers: readonly ProviderFacts[];
  readonly records: RecordFacts | undefined;
  readonly backups: { readonly folder: string | undefined; readonly lastAt: number | undefined; readonly isCopying: boolean };
  readonly cluster: ClusterFacts | undefined;
  readonly disk: { readonly path: string; readonly freeBytes: number; readonly totalBytes: number };
  /** The space that is named for links to sign in, and whether there is one that can send them. */
  readonly linkSpace: string | undefined;
  readonly canSendLinks: boolean;
}

/** Something that was looked at. */
export interface Finding {
  /** Stays the same: "operator-secret". */
  readonly code: string;
  readonly level: 'must' | 'should' | 'good';
  readonly title: string;
  readonly detail?: string | undefined;
  /** What to do. */
  readonly hint?: string | undefined;
}
