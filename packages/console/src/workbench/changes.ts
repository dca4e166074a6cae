import { useQueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import { useSession } from '../session.js';

/** Keeps the view of a folder current while it is edited; an edition never changes. */
export function useChanges(): void {
  const { client, folder } = useSession();
  const queries = useQueryClient();
  useEffect(() => {
    if (folder === undefined) return;
    const end = new AbortController();
    void (async () => {
      try {
        for await (const change of client.templates.changes({ signal: end.signal })) {
          if (change.event === 'changed') void queries.invalidateQueries({ queryKey: ['render'] });
          void queries.invalidateQueries({ queryKey: ['templates'] });
          if (change.event === 'changed') for (const key of ['template', 'advice']) void queries.invalidateQueries({ queryKey: [key] });
        }
      } catch {
        // The preview has ended; what is shown stays.
      }
    })();
    return () => end.abort();
  }, [client, folder, queries]);
}
