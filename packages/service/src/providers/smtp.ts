import { SmtpConnection, type ConnectionOptions } from '../smtp-socket/index.js';
import type { Provider } from './provider.js';

export interface SmtpProviderOptions extends ConnectionOptions {
  /** Connections at most; a mail waits for a free one. */
  readonly connections: number;
  /** How long an idle connection is kept, in milliseconds. */
  readonly idleMs: number;
  /** After so many mails a connection is closed, since many servers want that. */
  readonly mailsPerConnection: number;
}

interface Kept {
  readonly connection: SmtpConnection;
  mails: number;
  timer: NodeJS.Timeout | undefined;
}

/** An SMTP relay with connections that are kept and reused. */
export function smtpProvider(name: string, options: SmtpProviderOptions): Provider {
  const idle: Kept[] = [];
  const waiting: (() => void)[] = [];
  let used = 0;
  let closed = false;

  const acquire = async (): Promise<void> => {
    if (used >= options.connections) await new Promise<void>((resolve) => waiting.push(resolve));
    used += 1;
  };
  const release = (): void => {
    used -= 1;
    waiting.shift()?.();
  };
  const take = (): Kept | undefined => {
    for (let kept = idle.pop(); kept !== undefined; kept = idle.pop()) {
      clearTimeout(kept.timer);
      if (kept.connection.usable) return kept;
      kept.connection.close();
    }
    return undefined;
  };
  const keep = (kept: Kept): void => {
    kept.mails += 1;
    if (closed || !kept.connection.usable || kept.mails >= options.mailsPerConnection) {
      kept.connection.close();
      return;
    }
    kept.timer = setTimeout(() => {
      idle.splice(idle.indexOf(kept), 1);
      kept.connection.close();
    }, options.idleMs);
    kept.timer.unref();
    idle.push(kept);
  };

  return {
    name,
    async hand(envelope, mail) {
      await acquire();
      try {
        const kept = take() ?? { connection: new SmtpConnection(options), mails: 0, timer: undefined };
        const opened = await kept.connection.open();
        if (opened !== 'ready') {
          kept.connection.close();
          return opened;
        }
        const outcome = await kept.connection.deliver(envelope, mail);
        keep(kept);
        return outcome;
      } finally {
        release();
      }
    },
    close() {
      closed = true;
      for (const kept of idle.splice(0)) {
        clearTimeout(kept.timer);
        kept.connection.close();
      }
    },
  };
}
