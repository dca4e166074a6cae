import { fileURLToPath } from 'node:url';
import { parentPort, Worker, workerData, type MessagePort } from 'node:worker_threads';

/** Functions that one side offers to the other; what goes in and out is cloned. */
export type Methods = Readonly<Record<string, (input: never) => unknown>>;

/** A call to the other side took too long, or its thread ended. */
export class ThreadFault extends Error {
  override name = 'ThreadFault';
}

/** The other side of a channel. */
export interface Remote {
  /** @throws what the other side threw, as an error with its message */
  readonly call: <T>(method: string, input: unknown) => Promise<T>;
}

/** What travels between threads. */
type Packet =
  | { readonly id: number; readonly method: string; readonly input: unknown }
  | { readonly id: number; readonly value: unknown }
  | { readonly id: number; readonly error: { readonly message: string; readonly stack: string | undefined } };

interface Channel {
  readonly postMessage: (packets: readonly Packet[]) => void;
  readonly on: (name: 'message', listener: (packets: readonly Packet[]) => void) => unknown;
}

/** Calls in both directions over one channel. `fail` rejects what is under way. */
function channel(port: Channel, methods: Methods): Remote & { readonly fail: (error: Error) => void } {
  const waiting = new Map<number, { readonly resolve: (value: never) => void; readonly reject: (error: unknown) => void }>();
  let last = 0;
  // What is said within one turn travels together: a message between threads costs more than what is in it.
  let outgoing: Packet[] = [];
  const post = (packet: Packet): void => {
    outgoing.push(packet);
    if (outgoing.length > 1) return;
    setImmediate(() => {
      const packets = outgoing;
      outgoing = [];
      try {
        port.postMessage(packets);
      } catch {
        // One of them cannot be cloned: the others go by themselves.
        packets.forEach(postAlone);
      }
    });
  };
  const postAlone = (packet: Packet): void => {
    try {
      port.postMessage([packet]);
    } catch (error) {
      if ('method' in packet) {
        waiting.get(packet.id)?.reject(error);
        waiting.delete(packet.id);
      } else port.postMessage([{ id: packet.id, error: { message: (error as Error).message, stack: undefined } }]);
    }
  };
  const answer = async (id: number, method: string, input: unknown): Promise<void> => {
    try {
      const run = methods[method];
      if (run === undefined) throw new Error(`There is no method "${method}" on the other side.`);
      post({ id, value: await run(input as never) });
    } catch (error) {
      const { message, stack } = error instanceof Error ? error : new Error(String(error));
      post({ id, error: { message, stack } });
    }
  };
  const receive = (packet: Packet): void => {
    if ('method' in packet) {
      void answer(packet.id, packet.method, packet.input);
      return;
    }
    const caller = waiting.get(packet.id);
    waiting.delete(packet.id);
    if ('error' in packet) caller?.reject(Object.assign(new Error(packet.error.message), { stack: packet.error.stack }));
    else caller?.resolve(packet.value as never);
  };
  port.on('message', (packets) => {
    for (const packet of packets) receive(packet);
  });
  return {
    call: <T>(method: string, input: unknown) =>
      new Promise<T>((resolve, reject) => {
        const id = (last += 1);
        waiting.set(id, { resolve: resolve, reject });
        post({ id, method, input });
      }),
    fail: (error) => {
      for (const { reject } of waiting.values()) reject(error);
      waiting.clear();
    },
  };
}

export interface ThreadOptions {
  /** As people read it. */
  readonly name: string;
  /** What the thread is given to begin with; cloned. */
  readonly data?: unknown;
  /** What the thread may call here. */
  readonly methods?: Methods;
  /** Most memory of its own, in MiB. */
  readonly memoryMb?: number;
  readonly ended?: (why: string) => void;
}

export interface Thread extends Remote {
  /** Ends it at once; what is under way fails with a ThreadFault. */
  readonly terminate: () => Promise<void>;
  /** Whether the process stays for it. */
  readonly hold: (isHeld: boolean) => void;
}

/** The file of a thread beside a module: tests run from the sources, threads always from what was built of them. */
export function threadFile(module: string, name: string): string {
  return fileURLToPath(new URL(name, module.replace('/service/src/', '/service/dist/')));
}

/** Starts a thread. @param file JavaScript that calls {@link inThread} */
export function startThread(file: string, { name, data, methods = {}, memoryMb, ended }: ThreadOptions): Thread {
  const worker = new Worker(file, {
    name,
    workerData: data,
    stdin: false,
    // What the parent was started with (a loader of a test, an inspector) does not apply to the thread.
    execArgv: [],
    ...(memoryMb === undefined ? {} : { resourceLimits: { maxOldGenerationSizeMb: memoryMb } }),
  });
  const remote = channel(worker, methods);
  let why = `The thread "${name}" ended.`;
  worker.on('error', (error) => {
    why =
      (error as NodeJS.ErrnoException).code === 'ERR_WORKER_OUT_OF_MEMORY'
        ? `The thread "${name}" needed more than ${memoryMb ?? 0} MiB of memory.`
        : `The thread "${name}" failed: ${error.message}`;
  });
  let isOver = false;
  worker.on('exit', () => {
    isOver = true;
    remote.fail(new ThreadFault(why));
    ended?.(why);
  });
  return {
    call: (method, input) => (isOver ? Promise.reject(new ThreadFault(why)) : remote.call(method, input)),
    terminate: async () => {
      await worker.terminate();
    },
    hold: (isHeld) => {
      if (isHeld) worker.ref();
      else worker.unref();
    },
  };
}

/** Within a thread: offers methods to the one who started it. @returns its other side and what it was given */
export function inThread<Data>(methods: (remote: Remote, data: Data) => Methods): void {
  const port = parentPort as MessagePort;
  let own: Methods = {};
  const remote = channel(port, new Proxy({}, { get: (_target, name: string) => own[name] }));
  own = methods(remote, workerData as Data);
}

/** What comes in time, of what may fail or hang; else undefined. */
export async function inTime<T>(ms: number, promise: Promise<T>): Promise<T | undefined> {
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise<undefined>((done) => {
    timer = setTimeout(done, ms, undefined);
  });
  try {
    return await Promise.race([promise.catch(() => undefined), late]);
  } finally {
    clearTimeout(timer);
  }
}

/**
 * One thread for work with a bound on time and memory, one piece after another; started when needed, ended when idle for a while, and
 * replaced when a piece goes past its bound.
 */
export function boundedThread(file: string, options: Omit<ThreadOptions, 'ended'> & { readonly limitMs: number; readonly idleMs: number }) {
  let thread: Thread | undefined;
  let turn: Promise<unknown> = Promise.resolve();
  let idle: NodeJS.Timeout | undefined;
  const end = async (): Promise<void> => {
    clearTimeout(idle);
    const gone = thread;
    thread = undefined;
    await gone?.terminate();
  };

  async function one<T>(method: string, input: unknown): Promise<T> {
    clearTimeout(idle);
    const current = (thread ??= startThread(file, {
      ...options,
      ended: () => {
        if (thread === current) thread = undefined;
      },
    }));
    current.hold(true);
    let limit: NodeJS.Timeout | undefined;
    const late = new Promise<never>((_resolve, reject) => {
      limit = setTimeout(() => {
        reject(new ThreadFault(`It took longer than ${options.limitMs / 1000} seconds.`));
      }, options.limitMs);
    });
    try {
      return await Promise.race([current.call<T>(method, input), late]);
    } catch (error) {
      // One that hangs in a call of the system ends when that does: nobody waits for it.
      if (error instanceof ThreadFault) void end();
      throw error;
    } finally {
      clearTimeout(limit);
      // A thread that waits for work keeps no process alive.
      current.hold(false);
      if (thread === current) idle = setTimeout(() => void end(), options.idleMs).unref();
    }
  }

  return {
    /** @throws ThreadFault past the bounds, in a sentence; else what the thread threw */
    call<T>(method: string, input: unknown): Promise<T> {
      const result = turn.then(() => one<T>(method, input));
      turn = result.catch(() => undefined);
      return result;
    },
    stop: end,
  };
}
