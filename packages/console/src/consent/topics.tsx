import type { TopicView } from '@verbalis/client';
import { useQuery } from '@tanstack/react-query';
import { Cell, Column, Row, TableBody, TableHeader } from 'react-aria-components';
import { Link } from 'react-router';
import { Empty, Fault, Mono, Note } from '../parts/basics.js';
import { Small } from '../parts/form.js';
import { Head, Sheet } from '../parts/list.js';
import { SaveCsv, type CsvColumn } from '../parts/save-csv.js';
import { SetUpTabs } from '../parts/set-up.js';
import { useSession } from '../session.js';

const CSV: readonly CsvColumn<TopicView>[] = [
  ['topic', (topic) => topic.topic],
  ['label', (topic) => topic.label],
  ['purpose', (topic) => topic.purpose],
  ['tracking', (topic) => trackingText(topic.tracking)],
  ['left', (topic) => topic.left],
  ['templates', (topic) => topic.templates.join(' ')],
];

const PURPOSES: Readonly<Record<TopicView['purpose'], string>> = {
  essential: 'Essential: always sent',
  optional: 'Optional: can be left',
};

/** What becomes known of what recipients do. */
function trackingText(tracking: TopicView['tracking']): string {
  const what = [...(tracking?.clicks === true ? ['links'] : []), ...(tracking?.opens === true ? ['images'] : [])];
  if (tracking === undefined || what.length === 0) return 'None';
  return `${what.join(' and ')}, ${tracking.mode === 'individual' ? 'by recipient' : 'only counted'}`.replace(/^./, (sign) =>
    sign.toUpperCase(),
  );
}

/** Topics of the mail folder in use, and how many have left them. */
export function Topics() {
  const { client, space } = useSession();
  const { data, error } = useQuery({ queryKey: ['topics', space.name], queryFn: () => client.consents.topics(), refetchInterval: 10_000 });
  const topics = data?.topics ?? [];
  const isRefused = data?.canLeave === false && topics.some(({ purpose }) => purpose === 'optional');
  return (
    <>
      <SetUpTabs />
      <Head>
        <h1>Topics</h1>
        {topics.length > 0 && <SaveCsv name="topics" columns={CSV} all={() => [topics]} />}
      </Head>
      {error !== null && <Fault error={error} />}
      {data !== undefined && topics.length === 0 && (
        <Empty title="No topics yet" command="verbalis publish mail">
          Topics are in mail.yaml, with a label and a purpose. Recipients can leave those that are optional.
        </Empty>
      )}
      {topics.length > 0 && (
        <Sheet aria-label="Topics">
          <TableHeader>
            <Column isRowHeader>Topic</Column>
            <Column>As recipients see it</Column>
            <Column>Purpose</Column>
            <Column>Tracking</Column>
            <Column>Have left</Column>
            <Column>Templates</Column>
          </TableHeader>
          <TableBody>
            {topics.map(({ topic, label, description, locales, purpose, tracking, left, templates }) => (
              <Row key={topic} id={topic}>
                <Cell>
                  <Mono>{topic}</Mono>
                </Cell>
                <Cell>
                  {label}
                  {description !== undefined && (
                    <>
                      <br />
                      <Small>{description}</Small>
                    </>
                  )}
                  {locales.length > 0 && (
                    <>
                      <br />
                      <Small>In {locales.join(', ')}</Small>
                    </>
                  )}
                </Cell>
                <Cell>{PURPOSES[purpose]}</Cell>
                <Cell data-name="Tracking">{trackingText(tracking)}</Cell>
                <Cell {...(purpose === 'optional' || left > 0 ? { 'data-name': 'Have left' } : {})}>
                  {purpose === 'optional' || left > 0 ? left.toLocaleString('en') : ''}
                </Cell>
                <Cell data-name="Templates">{templates.join(', ')}</Cell>
              </Row>
            ))}
          </TableBody>
        </Sheet>
      )}
      {isRefused && (
        <Note role="note">
          Email of optional topics is refused until recipients can reach the service: set publicUrl in verbalis.yaml to its https address.
        </Note>
      )}
      {topics.length > 0 && (
        <Note>
          Who has left is under <Link to="/track/suppressions">Suppressions</Link>.
        </Note>
      )}
    </>
  );
}
