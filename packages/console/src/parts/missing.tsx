import type { SpaceView } from '@verbalis/client';
import { useEffect } from 'react';
import { Link, useLocation } from 'react-router';
import styled from 'styled-components';
import { Button, Mono } from './basics.js';

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

const Alone = styled.main`
  display: grid;
  gap: 16px;
  max-width: 62ch;
  margin: 15vh auto;
  padding: 16px;
  ul {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    padding: 0;
    list-style: none;
  }
`;

/** An address of a space that is not there, or that one may not see. */
export function MissingSpace({
  name,
  spaces,
  onChoose,
}: {
  readonly name: string | undefined;
  readonly spaces: readonly SpaceView[];
  readonly onChoose: (name: string) => void;
}) {
  useEffect(() => {
    document.title = 'No such space · Verbalis';
  }, []);
  return (
    <Alone>
      <h1>{spaces.length === 0 ? 'You have no space yet' : 'There is no such space'}</h1>
      {spaces.length === 0 ? (
        <p>An operator can give you a role in one, or none is configured: they are in verbalis.yaml.</p>
      ) : (
        <p>
          The address names the space <Mono>{name}</Mono>. It is not configured, or you have no role in it. Yours:
        </p>
      )}
      <ul>
        {spaces.map((space) => (
          <li key={space.name}>
            <Button $quiet onPress={() => onChoose(space.name)}>
              {space.name}
            </Button>
          </li>
        ))}
      </ul>
    </Alone>
  );
}
