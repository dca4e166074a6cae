import type { CapturedMail } from '@verbalis/client';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import styled from 'styled-components';
import { Mono, StateWord, When } from '../parts/basics.js';
import { Copied, CopyButton } from '../parts/copy.js';
import { useSession } from '../session.js';
import { font } from '../style.js';
import { Soft } from './simulate.js';

const Opening = styled.section`
  display: grid;
  gap: 20px 40px;
  grid-template-columns: repeat(auto-fit, minmax(min(240px, 100%), 1fr));
  margin-bottom: 24px;
  h2 {
    font-size: 17px;
    margin-bottom: 6px;
  }
  p {
    margin: 4px 0 0;
    overflow-wrap: anywhere;
  }
  ul {
    list-style: none;
    margin: 0;
    padding: 0;
    display: grid;
    gap: 8px;
    overflow-wrap: anywhere;
  }
`;

const Code = styled.div`
  font: 600 26px/1.2 ${font.mono};
  letter-spacing: 0.12em;
`;

const REFRESH_MS = 3000;
/** Links that are shown initially. */
const FIRST_LINKS = 3;
const MOST_LINKS = 60;
type FoundLink = CapturedMail['links'][number];

function Links({ links }: { readonly links: readonly FoundLink[] }) {
  return (
    <ul>
      {links.map((link, i) => (
        <li key={i}>
          {link.text === '' ? 'a picture without words' : link.text}
          <Copied text={link.href} name={`the link “${link.text}”`} />
        </li>
      ))}
    </ul>
  );
}

/** What a developer opens the mail for: its outcome, its codes and its links. */
export function Lead({ mail }: { readonly mail: CapturedMail }) {
  const { client, space } = useSession();
  const { messageId = '', codes, links } = mail;
  const message = useQuery({
    queryKey: ['message', space.name, messageId],
    queryFn: () => client.messages.get(messageId),
    enabled: messageId !== '',
    refetchInterval: REFRESH_MS,
  });
  const delivery = message.data?.deliveries.find(({ address }) => address === mail.to) ?? message.data?.deliveries[0];
  return (
    <Opening aria-label="In this mail">
      <div>
        <h2>Outcome</h2>
        <p>Captured: nothing left the service.</p>
        {delivery !== undefined && (
          <p>
            For the app it is <StateWord state={delivery.state} />
          </p>
        )}
        <p>
          To <Mono>{mail.to}</Mono>, <When at={mail.receivedAt.toISOString()} />
          {messageId !== '' && (
            <>
              {' · '}
              <Link to={`/track/messages/${messageId}`}>its timeline</Link>
            </>
          )}
        </p>
      </div>
      {codes.length > 0 && (
        <div>
          <h2>{codes.length === 1 ? 'Code' : 'Codes'}</h2>
          {codes.map((code) => (
            <Code key={code}>
              {code} <CopyButton text={code} label="Copy" />
            </Code>
          ))}
        </div>
      )}
      <div>
        <h2>Links</h2>
        {links.length === 0 && <Soft>none</Soft>}
        <Links links={links.slice(0, FIRST_LINKS)} />
        {links.length > FIRST_LINKS && (
          <details>
            <summary>{links.length - FIRST_LINKS} more</summary>
            <Links links={links.slice(FIRST_LINKS, MOST_LINKS)} />
          </details>
        )}
      </div>
    </Opening>
  );
}
