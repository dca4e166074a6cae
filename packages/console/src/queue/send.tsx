import { useQuery } from '@tanstack/react-query';
import { Cell, Column, Row, TableBody, TableHeader } from 'react-aria-components';
import styled from 'styled-components';
import { Attention } from '../parts/attention.js';
import { Empty, Fault, When } from '../parts/basics.js';
import { SendTabs, Sheet } from '../parts/list.js';
import { useSendMatters } from '../parts/matters.js';
import { SaveCsv } from '../parts/save-csv.js';
import { useSession } from '../session.js';
import { Holds } from './holds.js';
import { Planned } from './planned.js';

const REFRESH_MS = 2000;

const Section = styled.section`
  margin: 24px 0 40px;
`;

/** What waits: for its turn, for a date, for a person. */
export function Send() {
  const { client, space } = useSession();
  const queue = useQuery({ queryKey: ['queue', space.name], queryFn: () => client.queue.get(), refetchInterval: REFRESH_MS });
  const matters = useSendMatters();
  const lines = queue.data?.topics ?? [];
  return (
    <>
      <SendTabs />
      <h1>Send</h1>
      <Attention matters={matters} />
      <Section aria-label="Queue">
        <h2>Queue</h2>
        {queue.error !== null && <Fault error={queue.error} />}
        {queue.isSuccess && lines.length === 0 && (
          <Empty
            title="The queue is empty"
            level={3}
            command={"verbalis send booking-confirmed --to 'Ása <asa@post.example>' --data booking.json --wait"}
          >
            An app sends with POST /v1/messages; 202 means that the message is stored on disk, and that each recipient will reach one final
            state. The same from the command line:
          </Empty>
        )}
        {lines.length > 0 && (
          <SaveCsv
            name="queue"
            columns={[
              ['topic', ({ topic }) => topic],
              ['priority', ({ priority }) => priority],
              ['state', ({ state }) => state],
              ['waiting', ({ waiting }) => waiting],
              ['due', ({ due }) => due],
              ['held', ({ held }) => held],
              ['oldest', ({ oldest }) => oldest],
            ]}
            all={() => [lines]}
          />
        )}
        {lines.length > 0 && (
          <Sheet aria-label="Queue">
            <TableHeader>
              <Column isRowHeader>Topic</Column>
              <Column>Priority</Column>
              <Column>State</Column>
              <Column>Waiting</Column>
              <Column>Due</Column>
              <Column>Held</Column>
              <Column>Oldest</Column>
            </TableHeader>
            <TableBody>
              {lines.map((line) => (
                <Row key={`${line.priority}/${line.topic ?? ''}/${line.state}`} id={`${line.priority}/${line.topic ?? ''}/${line.state}`}>
                  <Cell>{line.topic ?? '(none)'}</Cell>
                  <Cell>{line.priority}</Cell>
                  <Cell>{line.state}</Cell>
                  <Cell data-name="waiting">{line.waiting}</Cell>
                  <Cell data-name="due">{line.due}</Cell>
                  <Cell data-name="held">{line.held}</Cell>
                  <Cell>
                    <When at={line.oldest} />
                  </Cell>
                </Row>
              ))}
            </TableBody>
          </Sheet>
        )}
      </Section>
      <Section aria-label="Planned">
        <Planned />
      </Section>
      <Section aria-label="Holds">
        <Holds />
      </Section>
    </>
  );
}
