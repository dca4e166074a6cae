import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import styled from 'styled-components';
import { Button, Fault, Mono, When } from '../parts/basics.js';
import { Back } from '../parts/back.js';
import { Field, Inline } from '../parts/form.js';
import { useSession } from '../session.js';
import { color, font } from '../style.js';

const Facts = styled.dl`
  display: grid;
  grid-template-columns: max-content minmax(0, 1fr);
  gap: 4px 16px;
  margin: 16px 0 24px;
  dt {
    color: ${color.soft};
  }
  dd {
    margin: 0;
    overflow-wrap: anywhere;
  }
`;

const Section = styled.section`
  border-top: 1px solid ${color.hair};
  padding: 20px 0;
`;

const Said = styled.p`
  font: 14px/1.5 ${font.mono};
  color: ${color.soft};
  overflow-wrap: anywhere;
`;

const Source = styled.pre`
  font: 13px/1.5 ${font.mono};
  background: ${color.wash};
  padding: 12px 16px;
  border-radius: 6px;
  max-height: 480px;
  overflow: auto;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
`;

const SHOWN_BYTES = 60_000;

/** One return: what was read out of it, how that was found out, and its bytes. */
export function Return() {
  const { client, space } = useSession();
  const { id = '' } = useParams();
  const queries = useQueryClient();
  const { data, error } = useQuery({ queryKey: ['return', space.name, id], queryFn: () => client.returns.get(id) });
  const source = useQuery({
    queryKey: ['return-source', space.name, id],
    queryFn: async () => new TextDecoder().decode((await client.returns.source(id)).slice(0, SHOWN_BYTES)),
  });
  const match = useMutation({
    mutationFn: (deliveryId: string) => client.returns.match(id, { deliveryId }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['return', space.name, id] }),
  });
  if (error !== null) return <Fault error={error} />;
  if (data === undefined) return <p role="status">Reading the return …</p>;
  return (
    <article>
      <Back to="/track/returns">Returns</Back>
      <h1 dir="auto">{data.subject ?? data.kind}</h1>
      <Facts>
        <dt>Kind</dt>
        <dd>
          {data.kind}
          {data.feedbackType === undefined ? '' : `, ${data.feedbackType}`}, by {data.source}
          {data.provider === undefined ? '' : ` of ${data.provider}`}
        </dd>
        <dt>Received</dt>
        <dd>
          <When at={data.receivedAt} />
        </dd>
        {data.from !== undefined && (
          <>
            <dt>From</dt>
            <dd>
              <Mono>{data.from}</Mono>
            </dd>
          </>
        )}
        <dt>About</dt>
        <dd>
          {data.messageId === undefined ? (
            'no delivery that is known'
          ) : (
            <Link to={`/track/messages/${data.messageId}`}>
              <Mono>{data.messageId}</Mono>
            </Link>
          )}
        </dd>
        {data.about !== undefined && (
          <>
            <dt>Names</dt>
            <dd>
              <Mono>{data.about.join(', ')}</Mono>
            </dd>
          </>
        )}
        {data.problem !== undefined && (
          <>
            <dt>Problem</dt>
            <dd>{data.problem}</dd>
          </>
        )}
      </Facts>
      {data.recipients.map((recipient) => (
        <Section key={recipient.address} aria-label={`What it says of ${recipient.address}`}>
          <p>
            <Mono>{recipient.address}</Mono>: <strong>{recipient.action}</strong>
            {recipient.action === 'failed' || recipient.action === 'delayed' ? `, ${recipient.cause}` : ''}
            {recipient.action === 'failed' ? (recipient.permanent ? ', for good' : ', for now') : ''}
          </p>
          {recipient.evidence !== '' && (
            <p>
              Found by {recipient.evidence} ({recipient.confidence}
              {recipient.replyCode === undefined ? '' : `; reply ${recipient.replyCode}`}
              {recipient.status === undefined ? '' : `; status ${recipient.status}`}).
            </p>
          )}
          {recipient.diagnostic !== undefined && <Said>{recipient.diagnostic}</Said>}
        </Section>
      ))}
      {!data.matched && (
        <Section aria-label="Match by hand">
          <h2>Which delivery is it about?</h2>
          <Inline
            onSubmit={(event) => {
              event.preventDefault();
              const given = new FormData(event.currentTarget).get('delivery');
              if (typeof given === 'string') match.mutate(given.trim());
            }}
          >
            <Field name="delivery" label="Id of the delivery" required />
            <Button type="submit">Match</Button>
          </Inline>
          {match.error !== null && <Fault error={match.error} />}
        </Section>
      )}
      <Section aria-label="As it came">
        <h2>As it came</h2>
        {source.error === null ? (
          <Source tabIndex={0} aria-label="Source">
            {source.data}
          </Source>
        ) : (
          <Fault error={source.error} />
        )}
      </Section>
    </article>
  );
}
