import type { CapturedMail } from '@verbalis/client';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Link, useNavigate, useParams, useSearchParams } from 'react-router';
import styled from 'styled-components';
import { useState } from 'react';
import { Button, Fault, Mono, When } from '../parts/basics.js';
import { Back } from '../parts/back.js';
import { OneOf, Toggle } from '../parts/switches.js';
import { useSession } from '../session.js';
import { color, font } from '../style.js';
import { inBytes } from '../words.js';
import { Lead } from './lead.js';
import { Simulate, Soft } from './simulate.js';

const Title = styled.div`
  display: grid;
  gap: 8px;
  margin-bottom: 16px;
`;

const Facts = styled.dl`
  display: grid;
  grid-template-columns: max-content minmax(0, 1fr);
  gap: 4px 16px;
  margin: 0 0 20px;
  dt {
    color: ${color.soft};
  }
  dd {
    margin: 0;
    overflow-wrap: anywhere;
  }
`;

const Bar = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 8px 12px;
  align-items: center;
  margin-bottom: 12px;
`;

const Frame = styled.iframe<{ readonly $width: string }>`
  width: ${({ $width }) => $width};
  max-width: 100%;
  height: 720px;
  border: 1px solid ${color.hair};
  border-radius: 6px;
  background: #fff;
`;

const Plain = styled.pre`
  margin: 0;
  padding: 16px;
  max-height: 720px;
  overflow: auto;
  border: 1px solid ${color.hair};
  border-radius: 6px;
  background: ${color.raised};
  font: 13px/1.55 ${font.mono};
  white-space: pre-wrap;
  overflow-wrap: anywhere;
`;

const Rest = styled.div`
  margin-top: 24px;
  border-top: 1px solid ${color.hair};
  details {
    border-bottom: 1px solid ${color.hair};
    padding: 12px 0;
  }
  summary {
    cursor: pointer;
    font-weight: 600;
  }
  ul {
    list-style: none;
    margin: 8px 0;
    padding: 0;
    display: grid;
    gap: 8px;
    overflow-wrap: anywhere;
  }
  h2 {
    font-size: 17px;
    margin: 12px 0 6px;
  }
`;

const VIEWS = [
  ['html', 'Mail'],
  ['text', 'Text'],
  ['headers', 'Headers'],
  ['source', 'Source'],
] as const;
type View = (typeof VIEWS)[number][0];
/** Of a source that is longer, so much is shown; all of it can be saved. */
const MOST_SHOWN = 400_000;

function bounded(text: string): string {
  return text.length <= MOST_SHOWN ? text : `${text.slice(0, MOST_SHOWN)}\n… and more: save it as a file to see all of it.`;
}

/** One captured mail, as a reader and as a developer look at it. */
export function Captured() {
  const { client, space } = useSession();
  const { id = '' } = useParams();
  const { data, error } = useQuery({
    queryKey: ['captured', space.name, 'one', id],
    queryFn: () => client.captured.get(id),
    staleTime: Infinity,
  });
  if (error !== null)
    return (
      <>
        <Back to="/try">Captured mail</Back>
        <Fault error={error} />
      </>
    );
  if (data === undefined) return <p role="status">Reading the mail …</p>;
  return <Reader mail={data} />;
}

type SetParam = (name: string, value: string | undefined) => void;
/** The address of something of the mail. */
type AddressOf = (what: string, more?: Readonly<Record<string, string>>) => string;

function Reader({ mail }: { readonly mail: CapturedMail }) {
  const { space } = useSession();
  const [params, setParams] = useSearchParams();
  const set: SetParam = (name, value) => {
    const next = new URLSearchParams(params);
    if (value === undefined) next.delete(name);
    else next.set(name, value);
    setParams(next, { replace: true });
  };
  const addressOf: AddressOf = (what, more = {}) =>
    `/v1/captured/${mail.id}/${what}?${new URLSearchParams({ space: space.name, ...more }).toString()}`;
  return (
    <article>
      <Title>
        <Back to="/try">Captured mail</Back>
        <h1 dir="auto">{mail.subject === '' ? '(no subject)' : mail.subject}</h1>
      </Title>
      <Lead mail={mail} />
      <Views {...{ mail, params, set, addressOf }} />
      <More mail={mail} addressOf={addressOf} />
    </article>
  );
}

function MailFacts({ mail }: { readonly mail: CapturedMail }) {
  return (
    <Facts>
      <dt>From</dt>
      <dd>{mail.from}</dd>
      <dt>To</dt>
      <dd>
        <Mono>{mail.to}</Mono>
      </dd>
      <dt>Received</dt>
      <dd>
        <When at={mail.receivedAt.toISOString()} />, {inBytes(mail.size)}
      </dd>
      {mail.messageId !== undefined && (
        <>
          <dt>Message</dt>
          <dd>
            <Link to={`/track/messages/${mail.messageId}`}>its timeline</Link>
          </dd>
        </>
      )}
    </Facts>
  );
}

interface ViewsProps {
  readonly mail: CapturedMail;
  readonly params: URLSearchParams;
  readonly set: SetParam;
  readonly addressOf: AddressOf;
}

/** The mail as its reader sees it, as text, and as it came. */
function Views({ mail, params, set, addressOf }: ViewsProps) {
  const asked = VIEWS.find(([id]) => id === params.get('view'))?.[0];
  const view: View = asked ?? (mail.html === '' ? 'text' : 'html');
  const isPhone = params.get('width') === 'phone';
  const [isRemote, setRemote] = useState(false);
  return (
    <>
      <Bar>
        <OneOf<View> label="View" value={view} options={VIEWS} onChange={(value) => set('view', value)} />
        {view === 'html' && (
          <>
            <OneOf
              label="Width"
              value={isPhone ? 'phone' : 'desktop'}
              options={[
                ['desktop', 'Desktop'],
                ['phone', 'Phone'],
              ]}
              onChange={(value) => set('width', value === 'phone' ? value : undefined)}
            />
            <Toggle on={isRemote} onChange={setRemote}>
              Load pictures from elsewhere
            </Toggle>
          </>
        )}
      </Bar>
      {view === 'html' &&
        (mail.html === '' ? (
          <p>This mail has no HTML part.</p>
        ) : (
          <Frame
            title="HTML part"
            sandbox=""
            referrerPolicy="no-referrer"
            tabIndex={0}
            $width={isPhone ? '377px' : '100%'}
            src={addressOf('html', { remote: isRemote ? 'yes' : 'no' })}
          />
        ))}
      {view === 'text' && (
        <Plain tabIndex={0} aria-label="Text part">
          {mail.text === '' ? 'This mail has no text part.' : bounded(mail.text)}
        </Plain>
      )}
      {view === 'headers' && (
        <Facts>
          {mail.headers.map((header, i) => [
            <dt key={`${i}n`}>
              <Mono>{header.name}</Mono>
            </dt>,
            <dd key={`${i}v`}>
              <Mono>{header.value}</Mono>
            </dd>,
          ])}
        </Facts>
      )}
      {view === 'source' && <Source id={mail.id} />}
    </>
  );
}

/** What is looked at less often. */
function More({ mail, addressOf }: { readonly mail: CapturedMail; readonly addressOf: AddressOf }) {
  return (
    <Rest>
      <details open={mail.attachments.length > 0}>
        <summary>Attached ({mail.attachments.length})</summary>
        <ul>
          {mail.attachments.slice(0, 200).map((attachment) => (
            <li key={attachment.part}>
              <a href={addressOf(`attachments/${attachment.part}`)} download={attachment.name}>
                {attachment.name}
              </a>{' '}
              <Soft>
                {attachment.type}, {inBytes(attachment.size)}
                {attachment.inline ? ', shown in the mail' : ''}
              </Soft>
            </li>
          ))}
        </ul>
      </details>
      <details>
        <summary>Simulate an outcome</summary>
        <Simulate mail={mail} />
      </details>
      <details>
        <summary>Envelope and file</summary>
        <MailFacts mail={mail} />
        <Keep mail={mail} addressOf={addressOf} />
      </details>
    </Rest>
  );
}

function Keep({ mail, addressOf }: { readonly mail: CapturedMail; readonly addressOf: AddressOf }) {
  const { client, space } = useSession();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const remove = useMutation({
    mutationFn: () => client.captured.remove(mail.id),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ['captured', space.name] });
      await navigate('/try');
    },
  });
  return (
    <section>
      <h2>This mail</h2>
      <ul>
        <li>
          <a href={addressOf('source')} download={`${mail.id}.eml`}>
            Save as a file
          </a>
        </li>
        <li>
          <Button $quiet onPress={() => remove.mutate()}>
            Remove
          </Button>
        </li>
      </ul>
    </section>
  );
}

function Source({ id }: { readonly id: string }) {
  const { client } = useSession();
  const { data, error } = useQuery({
    queryKey: ['captured-source', id],
    queryFn: async () => new TextDecoder('utf-8').decode(await client.captured.source(id)),
    staleTime: Infinity,
  });
  if (error !== null) return <Fault error={error} />;
  return (
    <Plain tabIndex={0} aria-label="Source">
      {data === undefined ? '' : bounded(data)}
    </Plain>
  );
}
