import type { InboundView } from '@verbalis/client';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Link, useNavigate, useParams } from 'react-router';
import styled from 'styled-components';
import { Fault, Mono, When } from '../parts/basics.js';
import { Back } from '../parts/back.js';
import { Confirm } from '../parts/confirm.js';
import { useSession } from '../session.js';
import { color, font, wide } from '../style.js';
import { inBytes } from '../words.js';
import { AnswerForm } from './answer-form.js';
import { Reader } from './reader.js';

const REFRESH_MS = 5000;

const Title = styled.div`
  display: grid;
  gap: 8px;
  margin-bottom: 16px;
`;
const Careful = styled.section`
  border-left: 3px solid ${color.wait};
  background: ${color.wash};
  padding: 12px 16px;
  margin-bottom: 20px;
  max-width: 960px;
  h2 {
    font-size: 17px;
    color: ${color.wait};
  }
  ul {
    margin: 4px 0 0;
    padding-left: 20px;
  }
`;
const Split = styled.div`
  display: grid;
  gap: 32px;
  grid-template-columns: minmax(0, 1fr);
  ${wide} {
    grid-template-columns: minmax(0, 1fr) 280px;
  }
`;
/** Emails of one thread, the oldest first: a line holds them together. */
const Thread = styled.ol`
  list-style: none;
  margin: 0 0 24px;
  padding: 0;
  display: grid;
  gap: 16px;
`;
const Entry = styled.li<{ readonly $ours: boolean; readonly $here: boolean }>`
  border-left: 3px solid ${({ $ours, $here }) => ($here ? color.accent : $ours ? color.mark : color.hair)};
  padding: 4px 0 4px 16px;
  display: grid;
  gap: 4px;
`;
const Who = styled.p`
  color: ${color.soft};
  font-size: 15px;
  overflow-wrap: anywhere;
`;
const Ours = styled.pre`
  margin: 0;
  max-height: 180px;
  overflow: auto;
  font: 13px/1.55 ${font.mono};
  color: ${color.soft};
  white-space: pre-wrap;
  overflow-wrap: anywhere;
`;
const Side = styled.aside`
  display: grid;
  gap: 24px;
  align-content: start;
  h2 {
    font-size: 17px;
    margin-bottom: 6px;
  }
  ul,
  dl {
    list-style: none;
    margin: 0;
    padding: 0;
    overflow-wrap: anywhere;
  }
  li + li {
    margin-top: 8px;
  }
  dt {
    color: ${color.soft};
    font-size: 14px;
  }
  dd {
    margin: 0 0 8px;
  }
`;
const Result = styled.strong<{ readonly $good: boolean | undefined }>`
  color: ${({ $good }) => ($good === undefined ? color.soft : $good ? color.good : color.bad)};
`;

/** One email of a person: in its thread, with what it carries and whether it is authentic. */
export function InboundEmail() {
  const { client, space } = useSession();
  const { id = '' } = useParams();
  const { data, error } = useQuery({
    queryKey: ['inbound', space.name, 'one', id],
    queryFn: () => client.inbound.get(id),
    refetchInterval: REFRESH_MS,
  });
  if (error !== null)
    return (
      <>
        <Back to="/track/inbound">Inbound mail</Back>
        <Fault error={error} />
      </>
    );
  if (data === undefined) return <p role="status">Reading the email …</p>;
  return (
    <article>
      <Title>
        <Back to="/track/inbound">Inbound mail</Back>
        <h1 dir="auto">{data.subject === '' ? '(no subject)' : data.subject}</h1>
      </Title>
      {data.suspicions.length > 0 && (
        <Careful aria-label="What is odd about it">
          <h2>! Be careful with this email</h2>
          <ul>
            {data.suspicions.map(({ code, text }) => (
              <li key={code}>{text}</li>
            ))}
          </ul>
        </Careful>
      )}
      <Split>
        <div>
          <Thread aria-label="Thread">
            {data.thread.map((entry) => {
              const isHere = entry.id === id;
              return (
                <Entry key={entry.id} $ours={entry.kind === 'message'} $here={isHere} aria-current={isHere ? 'true' : undefined}>
                  <Who>
                    {entry.kind === 'message' ? 'Our message' : entry.from || '(nobody)'}, <When at={entry.at} />
                    {!isHere && (
                      <>
                        {': '}
                        <Link to={`/track/${entry.kind === 'message' ? 'messages' : 'inbound'}/${entry.id}`}>
                          {entry.subject === '' ? '(no subject)' : entry.subject}
                        </Link>
                      </>
                    )}
                  </Who>
                  {isHere ? <Reader email={data} /> : entry.kind === 'message' && <OurText id={entry.id} />}
                </Entry>
              );
            })}
          </Thread>
          <AnswerForm email={data} />
        </div>
        <Side aria-label="About this email">
          <About email={data} />
          <Files email={data} />
          <Authentic email={data} />
          <Keep email={data} />
        </Side>
      </Split>
    </article>
  );
}

/** What one of our messages said. */
function OurText({ id }: { readonly id: string }) {
  const { client, space } = useSession();
  const { data } = useQuery({
    queryKey: ['mail', space.name, id, 'text'],
    queryFn: () => client.messages.mail(id),
    staleTime: Infinity,
    retry: false,
  });
  if (data === undefined) return null;
  return (
    <Ours tabIndex={0} aria-label="Text of our message">
      {data.text.trim()}
    </Ours>
  );
}

function About({ email }: { readonly email: InboundView }) {
  return (
    <section>
      <h2>About it</h2>
      <dl>
        <dt>From</dt>
        <dd>
          {email.from.name} <Mono>{email.from.address}</Mono>
        </dd>
        <dt>Came to</dt>
        <dd>
          <Mono>{email.to.join(', ')}</Mono>
        </dd>
        <dt>Inbox</dt>
        <dd>{email.inbox}</dd>
        {email.language !== undefined && (
          <>
            <dt>Language</dt>
            <dd>{new Intl.DisplayNames('en', { type: 'language' }).of(email.language)}</dd>
          </>
        )}
        {email.noAnswer !== undefined && (
          <>
            <dt>No automatic answer</dt>
            <dd>{email.noAnswer}</dd>
          </>
        )}
      </dl>
    </section>
  );
}

function Files({ email }: { readonly email: InboundView }) {
  const { space } = useSession();
  if (email.files.length === 0) return null;
  return (
    <section>
      <h2>Files</h2>
      <ul>
        {email.files.map(({ part, name, type, size, path }) => (
          <li key={part}>
            {email.hasBytes ? (
              <a href={`${path}?${new URLSearchParams({ space: space.name }).toString()}`} download={name}>
                {name}
              </a>
            ) : (
              name
            )}
            , {inBytes(size)}
            <br />
            <Mono>{type}</Mono>
          </li>
        ))}
      </ul>
    </section>
  );
}

const isGood = (result: string): boolean | undefined => (result === 'pass' ? true : result === 'fail' ? false : undefined);

function Authentic({ email: { authentication } }: { readonly email: InboundView }) {
  return (
    <section>
      <h2>Is it authentic?</h2>
      {authentication === undefined ? (
        <p>Not examined: it was handed in, or the DNS is not asked here.</p>
      ) : (
        <dl>
          <dt>SPF of {authentication.spf.domain}</dt>
          <dd>
            <Result $good={isGood(authentication.spf.result)}>{authentication.spf.result}</Result>
          </dd>
          <dt>DKIM</dt>
          {authentication.dkim.length === 0 && <dd>not signed</dd>}
          {authentication.dkim.map(({ result, domain, reason }, i) => (
            <dd key={i} title={reason}>
              <Result $good={isGood(result)}>{result}</Result> {domain}
            </dd>
          ))}
          <dt>DMARC</dt>
          <dd title={authentication.dmarc.reason}>
            <Result $good={isGood(authentication.dmarc.result)}>{authentication.dmarc.result}</Result>
            {authentication.dmarc.policy !== undefined && ` (asks for ${authentication.dmarc.policy})`}
          </dd>
        </dl>
      )}
    </section>
  );
}

function Keep({ email }: { readonly email: InboundView }) {
  const { client, space } = useSession();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const remove = useMutation({
    mutationFn: () => client.inbound.remove(email.id),
    onSuccess: async () => {
      await navigate('/track/inbound');
      await queries.invalidateQueries({ queryKey: ['inbound', space.name] });
    },
  });
  return (
    <section>
      <h2>This email</h2>
      <ul>
        {email.hasBytes && (
          <li>
            <a
              href={`/v1/inbound/${email.id}/source?${new URLSearchParams({ space: space.name }).toString()}`}
              download={`${email.id}.eml`}
            >
              Save as a file
            </a>
          </li>
        )}
        <li>
          <Confirm
            label="Delete"
            title="Delete this email?"
            words="Its text, its files and its bytes are removed. Answers to it stay."
            onConfirm={() => remove.mutate()}
          />
        </li>
      </ul>
      {remove.error !== null && <Fault error={remove.error} />}
    </section>
  );
}
