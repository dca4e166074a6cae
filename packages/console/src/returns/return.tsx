import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import styled from 'styled-components';
import { Button, Fault, Mono, When } from '../parts/basics.js';
import { Back } from '../parts/back.js';
import { Field, Inline } from '../parts/form.js';
import { Facts } from '../parts/facts.js';
import { useSession } from '../session.js';
import { color, font } from '../style.js';

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
      <Facts
        facts={[
          [
            'Kind',
            `${data.kind}${data.feedbackType === undefined ? '' : `, ${data.feedbackType}`}, by ${data.source}${data.provider === undefined ? '' : ` of ${data.provider}`}`,
          ],
          ['Received', <When at={data.receivedAt} />],
          ['From', data.from === undefined ? undefined : <Mono>{data.from}</Mono>],
          [
            'About',
            data.messageId === undefined ? (
              'no delivery that is known'
            ) : (
              <Link to={`/track/messages/${data.messageId}`}>
                <Mono>{data.messageId}</Mono>
              </Link>
            ),
          ],
          ['Names', data.about === undefined ? undefined : <Mono>{data.about.join(', ')}</Mono>],
          ['Problem', data.problem],
        ]}
      />
      {data.recipients.map((recipient) => (
        <Section key={recipient.address} aria-label={`What it says of ${recipient.address}`}>
          <p>
            <Mono>{recipient.address}</Mono>: <strong>{recipient.action}</strong>
            {recipient.action === 'failed' || recipient.action === 'delayed' ? `, ${recipient.cause}` : ''}
            {recipient.action === 'failed' ? (recipient.permanent ? ', permanent' : ', temporary') : ''}
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
