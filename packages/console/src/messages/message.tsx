import type { Delivery, Message as MessageView } from '@verbalis/client';
import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import styled from 'styled-components';
import { Fault, Mono, Note, StateWord, When } from '../parts/basics.js';
import { Back } from '../parts/back.js';
import { MailPreview } from '../parts/mail.js';
import { MessageActions } from './actions.js';
import { Timeline } from './timeline.js';
import { Facts } from '../parts/facts.js';
import { isManager, useSession } from '../session.js';
import { color, font } from '../style.js';

const REFRESH_MS = 2000;

const Title = styled.div`
  display: grid;
  gap: 8px;
  margin-bottom: 24px;
`;

const Section = styled.section`
  border-top: 1px solid ${color.hair};
  padding: 24px 0;
`;

const Sentence = styled.p`
  font: 560 19px/1.45 ${font.serif};
  margin: 8px 0 4px;
  max-width: 60ch;
`;

const Advice = styled.p`
  max-width: 62ch;
  color: ${color.soft};
`;

/** How the recipient of an optional email left its topic or joined it. */
function useConsents({ address }: Delivery, { topic }: MessageView) {
  const { client, space } = useSession();
  const { data } = useQuery({
    queryKey: ['consents', space.name, address],
    queryFn: () => client.consents.get({ address }),
    enabled: topic !== undefined,
    refetchInterval: 10_000,
  });
  return data?.history;
}

function DeliverySection({ delivery, message }: { readonly delivery: Delivery; readonly message: MessageView }) {
  const consents = useConsents(delivery, message);
  return (
    <Section aria-label={`Delivery to ${delivery.address}`}>
      <StateWord state={delivery.state} /> <Mono>{delivery.address}</Mono>
      <Sentence>{delivery.sentence}</Sentence>
      {delivery.advice !== undefined && <Advice>{delivery.advice}</Advice>}
      <Timeline delivery={delivery} createdAt={message.createdAt} repairs={message.repairs} consents={consents} />
    </Section>
  );
}

/** What its recipients have answered. */
function Answers({ message: { id } }: { readonly message: MessageView }) {
  const { client, space } = useSession();
  const { data } = useQuery({
    queryKey: ['inbound', space.name, { message: id }],
    queryFn: () => client.inbound.list({ message: id, limit: 20 }),
    refetchInterval: 10_000,
  });
  if (data === undefined || data.inbound.length === 0) return null;
  return (
    <Section aria-label="Answers">
      <h2>What was answered</h2>
      <ul>
        {data.inbound.map((email) => (
          <li key={email.id}>
            <Link to={`/track/inbound/${email.id}`}>{email.subject === '' ? '(no subject)' : email.subject}</Link> from{' '}
            <Mono>{email.from.address}</Mono>, <When at={email.receivedAt} />
          </li>
        ))}
      </ul>
    </Section>
  );
}

/** Who sent it by hand, changed it, or looked at what it says. */
function Handled({ id }: { readonly id: string }) {
  const session = useSession();
  const { data } = useQuery({
    queryKey: ['audit', session.space.name, { target: id }],
    queryFn: () => session.client.audit.list({ target: id, limit: 20 }),
    enabled: isManager(session),
  });
  if (data === undefined || data.entries.length === 0) return null;
  return (
    <Section aria-label="Who did what">
      <h2>Who did what</h2>
      <ul>
        {data.entries.map(({ seq, at, who, summary }) => (
          <li key={seq}>
            {who.name}: {summary}, <When at={at} />
          </li>
        ))}
      </ul>
    </Section>
  );
}

const SENSITIVE = { kept: 'masked; kept while an email waits for it', removed: 'masked; no longer kept' };

/** One message: its outcome, its timeline, and the email as sent. */
export function Message() {
  const session = useSession();
  const { client, space } = session;
  const { id = '' } = useParams();
  const { data, error } = useQuery({
    queryKey: ['message', space.name, id],
    queryFn: () => client.messages.get(id),
    refetchInterval: REFRESH_MS,
  });
  if (error !== null) return <Fault error={error} />;
  if (data === undefined) return <p role="status">Reading the message …</p>;
  return (
    <article>
      <Title>
        <Back to="/track">Messages</Back>
        <h1 dir="auto">{data.subject}</h1>
      </Title>
      <Facts
        isPaired
        facts={[
          [
            'From',
            <>
              {data.from.name} <Mono>{data.from.address}</Mono>
            </>,
          ],
          [
            'To',
            data.to.map(({ address, name }) => (
              <div key={address}>
                {name} <Mono>{address}</Mono>
              </div>
            )),
          ],
          data.template === '' ? ['Made by', 'the app itself'] : ['Template', `${data.template}, edition ${data.edition}, ${data.locale}`],
          ['Created', <When at={data.createdAt} />],
          ['Reference', data.reference ?? 'none'],
          ['Sensitive data', data.sensitive === undefined ? undefined : SENSITIVE[data.sensitive]],
          ['Message', <Mono>{data.id}</Mono>],
        ]}
      />
      <MessageActions message={data} />
      {data.deliveries.map((delivery) => (
        <DeliverySection key={delivery.id} delivery={delivery} message={data} />
      ))}
      <Answers message={data} />
      <Handled id={data.id} />
      <Section aria-label="The email as sent">
        {space.content === false ? (
          <Note>Your role does not show what emails say. An operator can allow it.</Note>
        ) : (
          <MailPreview
            id={data.id}
            made={data.deliveries.some((delivery) => delivery.attempts.length > 0)}
            canUnmask={isManager(session) && data.sensitive === 'kept'}
          />
        )}
      </Section>
    </article>
  );
}
