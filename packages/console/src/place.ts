import { useEffect, useState } from 'react';

const IN_SPACE = /^\/in\/([a-z0-9-]+)(?=\/|$)/;

/** The space that an address names: /in/harbour/track. */
function spaceIn(pathname: string): string | undefined {
  return IN_SPACE.exec(pathname)?.[1];
}

/** What the addresses of a space begin with. */
export function baseOf(space: string): string {
  return `/in/${space}`;
}

/** An address without its space. */
export function withoutSpace(pathname: string): string {
  return pathname.replace(IN_SPACE, '') || '/';
}

/** The space of the address, also after going back or forward. */
export function usePlace(): {
  readonly space: string | undefined;
  readonly enter: (space: string, path: string, how: 'push' | 'replace') => void;
} {
  const [space, setSpace] = useState(() => spaceIn(window.location.pathname));
  useEffect(() => {
    const look = (): void => setSpace(spaceIn(window.location.pathname));
    window.addEventListener('popstate', look);
    return () => window.removeEventListener('popstate', look);
  }, []);
  return {
    space,
    enter: (name, path, how) => {
      const address = `${baseOf(name)}${path}`;
      if (how === 'push') window.history.pushState(null, '', address);
      else window.history.replaceState(null, '', address);
      setSpace(name);
    },
  };
}
