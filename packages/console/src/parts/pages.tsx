import { useInfiniteQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useRef } from 'react';
import styled from 'styled-components';
import { Button } from './basics.js';

interface Page {
  readonly nextCursor?: string | undefined;
}

type ReadPage<P> = (page: { readonly limit: number; readonly cursor: string | undefined }) => Promise<P>;

export interface Paged<T> {
  /** All that was read so far. */
  readonly rows: readonly T[];
  readonly error: Error | null;
  readonly isSuccess: boolean;
  /** Reads the next page, where there is one. */
  readonly more: (() => void) | undefined;
  /** The whole list from its beginning, a page at a time; to be saved. */
  readonly all: () => AsyncGenerator<readonly T[]>;
}

const SHOWN_AT_ONCE = 50;
const SAVED_AT_ONCE = 200;

/** The whole of a long list from its beginning, a page at a time. */
export async function* wholeList<P extends Page, T>(read: ReadPage<P>, rowsOf: (page: P) => readonly T[]): AsyncGenerator<readonly T[]> {
  for (let cursor: string | undefined, more = true; more;) {
    const page = await read({ limit: SAVED_AT_ONCE, cursor });
    yield rowsOf(page);
    cursor = page.nextCursor;
    more = cursor !== undefined;
  }
}

/** A long list, newest first, read page by page. */
export function usePages<P extends Page, T>({
  key,
  read,
  rowsOf,
  refreshMs,
}: {
  /** What it is, with the space and the filter. */
  readonly key: readonly unknown[];
  readonly read: ReadPage<P>;
  readonly rowsOf: (page: P) => readonly T[];
  readonly refreshMs?: number;
}): Paged<T> {
  const pages = useInfiniteQuery({
    queryKey: key,
    // The first page appears quickly; later pages are larger.
    queryFn: ({ pageParam }) => read({ limit: pageParam === undefined ? SHOWN_AT_ONCE : SAVED_AT_ONCE, cursor: pageParam }),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (page: P) => page.nextCursor,
    ...(refreshMs === undefined ? {} : { refetchInterval: refreshMs }),
  });
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = pages;
  const more = useMemo(
    () => (hasNextPage && !isFetchingNextPage ? () => void fetchNextPage() : undefined),
    [hasNextPage, isFetchingNextPage, fetchNextPage],
  );
  return {
    rows: pages.data?.pages.flatMap(rowsOf) ?? [],
    error: pages.error,
    isSuccess: pages.isSuccess,
    more,
    all: () => wholeList(read, rowsOf),
  };
}

const Foot = styled.p`
  margin-top: 24px;
`;

/** The way to what is older, below a list. */
export function Older<T>({ pages, children }: { readonly pages: Paged<T>; readonly children: string }) {
  const foot = useRef<HTMLParagraphElement>(null);
  const { more } = pages;
  // Scrolling to the end asks for more.
  useEffect(() => {
    const end = foot.current;
    if (end === null || more === undefined) return undefined;
    const watch = new IntersectionObserver((seen) => {
      if (seen.some(({ isIntersecting }) => isIntersecting) && window.scrollY > 0) more();
    });
    watch.observe(end);
    return () => watch.disconnect();
  }, [more]);
  if (more === undefined) return null;
  return (
    <Foot ref={foot}>
      <Button $quiet onPress={more}>
        {children}
      </Button>
    </Foot>
  );
}
