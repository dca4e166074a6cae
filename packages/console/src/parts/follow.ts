import { RefusedError } from '@verbalis/client';
import { useEffect, useState } from 'react';

/** How a page stands to a stream that it follows. */
export type Connection = 'connecting' | 'live' | 'lost';

interface FollowOptions {
  readonly signal: AbortSignal;
  readonly onConnection: (isOpen: boolean) => void;
}

const AGAIN_MS = 3000;

/**
 * Follows a stream for as long as a page is open. Whatever breaks is taken up again; what the service refuses is not asked for again.
 * @param begin gives the stream
 * @param take is called for each item
 * @param began is called whenever the stream has begun, so that the page can read what it has missed
 * @param key what the stream depends on
 */
export function useFollow<T>(
  begin: (options: FollowOptions) => AsyncIterable<T>,
  { take, began }: { readonly take: (item: T) => void; readonly began: () => void },
  key: readonly unknown[],
): { readonly connection: Connection; readonly refusal: RefusedError | undefined } {
  const [connection, setConnection] = useState<Connection>('connecting');
  const [refusal, setRefusal] = useState<RefusedError>();
  useEffect(() => {
    const end = new AbortController();
    const hasEnded = (): boolean => end.signal.aborted;
    const onConnection = (isOpen: boolean): void => {
      if (hasEnded()) return;
      setConnection(isOpen ? 'live' : 'lost');
      if (isOpen) began();
    };
    const follow = async (): Promise<void> => {
      setConnection('connecting');
      setRefusal(undefined);
      while (!hasEnded()) {
        try {
          for await (const item of begin({ signal: end.signal, onConnection })) take(item);
        } catch (error) {
          if (error instanceof RefusedError && error.problem.status < 500 && error.problem.status !== 401) {
            setRefusal(error);
            return;
          }
        }
        if (hasEnded()) return;
        setConnection('lost');
        await new Promise((done) => setTimeout(done, AGAIN_MS));
      }
    };
    void follow();
    return () => end.abort();
    // The stream is another one only when its key is.
  }, key);
  return { connection, refusal };
}
