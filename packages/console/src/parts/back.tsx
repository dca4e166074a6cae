import { useEffect, type ReactNode } from 'react';
import { Link, useLocation } from 'react-router';

const searchOf = (path: string): string => `verbalis.search ${path}`;

/** Remembers what each list was filtered by, for the way back to it. */
export function useRememberSearch(): void {
  const { pathname, search } = useLocation();
  useEffect(() => {
    window.sessionStorage.setItem(searchOf(pathname), search);
  }, [pathname, search]);
}

/** The way back to a list, as it was filtered. */
export function Back({ to, children }: { readonly to: string; readonly children: ReactNode }) {
  return <Link to={`${to}${window.sessionStorage.getItem(searchOf(to)) ?? ''}`}>← {children}</Link>;
}
