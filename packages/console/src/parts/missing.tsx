import { Link, useLocation } from 'react-router';
import { Mono } from './basics.js';

/** An address that leads to no page. */
export function Missing({ home }: { readonly home: string }) {
  const { pathname } = useLocation();
  return (
    <article>
      <h1>There is no such page</h1>
      <p>
        <Mono>{pathname}</Mono> leads nowhere. It may have been mistyped, or cut off by a mail reader or a chat.
      </p>
      <p>
        <Link to={home}>To the first page</Link>, or find an address, an id or a subject with the field on the left.
      </p>
    </article>
  );
}
