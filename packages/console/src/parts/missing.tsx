import { Link, useLocation } from 'react-router';
import styled from 'styled-components';
import { Mono } from './basics.js';

const Page = styled.article`
  display: grid;
  gap: 12px;
  max-width: 62ch;
`;

/** An address that leads to no page. */
export function Missing({ home }: { readonly home: string }) {
  const { pathname } = useLocation();
  return (
    <Page>
      <h1>There is no such page</h1>
      <p>
        <Mono>{pathname}</Mono> leads nowhere. It may have been mistyped, or cut off by a mail reader or a chat.
      </p>
      <p>
        <Link to={home}>To the first page</Link>, or find an address, an id or a subject with the field “Find”.
      </p>
    </Page>
  );
}
