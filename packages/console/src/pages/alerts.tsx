import { useQuery } from '@tanstack/react-query';
import { Cell, Column, Row, TableBody, TableHeader } from 'react-aria-components';
import styled from 'styled-components';
import { Empty, Fault, Mono, When } from '../parts/basics.js';
import { Head, Sheet, TrackTabs } from '../parts/list.js';
import { useSession } from '../session.js';
import { color } from '../style.js';

const Now = styled.strong<{ readonly $firing: boolean }>`
  color: ${({ $firing }) => ($firing ? color.bad : color.soft)};
  white-space: nowrap;
`;

const Rules = styled.section`
  margin-top: 40px;
  ul {
    padding-left: 20px;
  }
`;

/** Rules over what happens: those that hold, those that have held, and all that are in force. */
export function Alerts() {
  const { client, space } = useSession();
  const { data, error } = useQuery({ queryKey: ['alerts', space.name], queryFn: () => client.alerts(), refetchInterval: 5000 });
  const limit = (rule: NonNullable<typeof data>['rules'][number]): string =>
    rule.percent !== undefined
      ? `more than ${rule.percent} % ${rule.of.join(' or ')}`
      : rule.count !== undefined
        ? `more than ${rule.count} ${rule.of.join(' or ')}`
        : `the oldest mail waits for more than ${rule.queueSeconds ?? 0} seconds`;
  return (
    <>
      <TrackTabs />
      <Head>
        <h1>Alerts</h1>
      </Head>
      {error !== null && <Fault error={error} />}
      {data !== undefined && data.alerts.length === 0 && (
        <Empty title="All is quiet" command={'alerts:\n  many-fail: { of: [failed], by: topic, percent: 5, minutes: 15 }'}>
          Rules stand in verbalis.yaml. When one begins to hold, that is an event like any other, so a subscription can carry it to a chat
          or a pager.
        </Empty>
      )}
      {data !== undefined && data.alerts.length > 0 && (
        <Sheet aria-label="Alerts">
          <TableHeader>
            <Column isRowHeader>Rule</Column>
            <Column>State</Column>
            <Column>For</Column>
            <Column>Value</Column>
            <Column>Since</Column>
          </TableHeader>
          <TableBody>
            {data.alerts.map((one) => (
              <Row key={one.id} id={one.id}>
                <Cell>
                  <Mono>{one.rule}</Mono>
                </Cell>
                <Cell>
                  <Now $firing={one.resolvedAt === undefined}>{one.resolvedAt === undefined ? '▲ holds now' : '✓ over'}</Now>
                </Cell>
                <Cell>{one.group ?? 'all'}</Cell>
                <Cell>{one.value}</Cell>
                <Cell>
                  <When at={one.since} />
                </Cell>
              </Row>
            ))}
          </TableBody>
        </Sheet>
      )}
      {(data?.rules.length ?? 0) > 0 && (
        <Rules>
          <h2>Rules in force</h2>
          <ul>
            {data?.rules.map((rule) => (
              <li key={rule.name}>
                <Mono>{rule.name}</Mono>: {limit(rule)} within {rule.minutes} minutes
                {rule.by === undefined ? '' : `, each ${rule.by} on its own`}
                {rule.where === '' ? '' : `, where ${rule.where}`}; says nothing below {rule.least}.
              </li>
            ))}
          </ul>
        </Rules>
      )}
    </>
  );
}
