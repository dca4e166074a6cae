import { useEffect, useRef, type RefObject } from 'react';
import { useLocation } from 'react-router';

const NAME = 'Verbalis';

/**
 * Keeps the document's title what the heading of the page says, and leads the keyboard and screen readers to a page that was opened. The heading
 * may come later than the page, and change with what is read.
 */
export function usePage(place: string): RefObject<HTMLElement | null> {
  const main = useRef<HTMLElement>(null);
  const { pathname } = useLocation();
  const shown = useRef(pathname);
  useEffect(() => {
    const page = main.current;
    if (page === null) return undefined;
    const name = (): void => {
      const heading = page.querySelector('h1')?.textContent.trim() ?? '';
      document.title = [heading, place, NAME].filter((part) => part !== '').join(' · ');
    };
    const watch = new MutationObserver(name);
    watch.observe(page, { subtree: true, childList: true, characterData: true });
    name();
    return () => {
      watch.disconnect();
      document.title = NAME;
    };
  }, [place]);
  useEffect(() => {
    if (shown.current === pathname) return;
    shown.current = pathname;
    main.current?.focus({ preventScroll: true });
    window.scrollTo(0, 0);
  }, [pathname]);
  return main;
}
