import type { InboundView } from '@verbalis/client';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import styled from 'styled-components';
import { Fault } from '../parts/basics.js';
import { OneOf } from '../parts/switches.js';
import { useSession } from '../session.js';
import { color, font } from '../style.js';

const Views = styled.div`
  display: grid;
  gap: 12px;
  justify-items: start;
  > iframe,
  > pre {
    justify-self: stretch;
  }
`;
const Words = styled.div`
  font: 17px/1.55 ${font.serif};
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  max-width: 68ch;
  padding: 8px 0;
`;
const Rest = styled.details`
  margin-top: 8px;
  summary {
    color: ${color.soft};
    cursor: pointer;
    min-height: 28px;
  }
  pre {
    margin: 4px 0 0;
    max-height: 360px;
    overflow: auto;
    font: 13px/1.55 ${font.mono};
    color: ${color.soft};
    white-space: pre-wrap;
    overflow-wrap: anywhere;
  }
`;
const Frame = styled.iframe`
  width: 100%;
  height: 480px;
  border: 1px solid ${color.hair};
  border-radius: 6px;
  background: #fff;
`;
const Source = styled.pre`
  margin: 0;
  padding: 12px 16px;
  max-height: 480px;
  overflow: auto;
  background: ${color.wash};
  border-radius: 6px;
  font: 13px/1.5 ${font.mono};
  white-space: pre-wrap;
  overflow-wrap: anywhere;
`;

const VIEWS = [
  ['new', 'What is new'],
  ['whole', 'As it came'],
  ['source', 'Source'],
] as const;
type View = (typeof VIEWS)[number][0];
const SHOWN_BYTES = 100_000;

/** An email as a person reads it: what is new, with the rest folded; all of it in a frame where nothing runs; its source. */
export function Reader({ email }: { readonly email: InboundView }) {
  const { space } = useSession();
  const [view, setView] = useState<View>('new');
  return (
    <Views>
      {email.hasBytes && <OneOf<View> label="View" value={view} options={VIEWS} onChange={setView} />}
      {view === 'new' && <Parts email={email} />}
      {view === 'whole' && (
        <>
          {email.html === undefined ? (
            <Source tabIndex={0} aria-label="Text of the email">
              {[email.text, email.signature, email.quoted].filter((part) => part !== '').join('\n\n')}
            </Source>
          ) : (
            <Frame
              title="The email"
              sandbox=""
              referrerPolicy="no-referrer"
              tabIndex={0}
              src={`/v1/inbound/${email.id}/html?${new URLSearchParams({ space: space.name }).toString()}`}
            />
          )}
          {email.remotePictures > 0 && (
            <p>
              {email.remotePictures === 1 ? 'A picture from another server is' : `${email.remotePictures} pictures from other servers are`}{' '}
              not loaded: that would tell the sender that this email was opened.
            </p>
          )}
        </>
      )}
      {view === 'source' && <SourceOf id={email.id} />}
    </Views>
  );
}

function Parts({ email }: { readonly email: InboundView }) {
  return (
    <>
      <Words dir="auto" lang={email.language}>
        {email.text === '' ? <em>There is nothing new in it.</em> : email.text}
      </Words>
      {email.signature !== '' && (
        <Rest>
          <summary>Signature</summary>
          <pre dir="auto">{email.signature}</pre>
        </Rest>
      )}
      {email.quoted !== '' && (
        <Rest open={email.text === ''}>
          <summary>What it answers</summary>
          <pre dir="auto">{email.quoted}</pre>
        </Rest>
      )}
    </>
  );
}

function SourceOf({ id }: { readonly id: string }) {
  const { client } = useSession();
  const { data, error } = useQuery({
    queryKey: ['inbound-source', id],
    queryFn: async () => new TextDecoder().decode((await client.inbound.source(id)).slice(0, SHOWN_BYTES)),
    staleTime: Infinity,
  });
  if (error !== null) return <Fault error={error} />;
  return (
    <Source tabIndex={0} aria-label="Source">
      {data}
    </Source>
  );
}
