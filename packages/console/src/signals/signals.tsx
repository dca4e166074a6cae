import type { SignalList, SignalRules } from '@verbalis/client';
import { useQuery } from '@tanstack/react-query';
import { Cell, Column, Row, TableBody, TableHeader } from 'react-aria-components';
import { useSearchParams } from 'react-router';
import styled from 'styled-components';
import { Empty, Fault, Mono, StateText, When } from '../parts/basics.js';
import { Small } from '../parts/form.js';
import { Filter, Filters, Head, SendTabs, Sheet } from '../parts/list.js';
import { Older, usePages } from '../parts/pages.js';
import { SaveCsv, type CsvColumn } from '../parts/save-csv.js';
import { useSession } from '../session.js';
import { RULE_STATES } from './words.js';

type Signal = SignalList['signals'][number];

const REFRESH_MS = 3000;
const STATES = ['waiting', 'sent', 'refused', 'canceled', 'limited', 'ignored', 'no-rule'] as const;

const Made = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 2px 16px;
`;
const Rules = styled.section`
  margin-top: 40px;
  h2 {
    margin-bottom: 8px;
  }
`;

const CSV: readonly CsvColumn<Signal>[] = [
  ['id', ({ id }) => id],
  ['type', ({ type }) => type],
  ['subject', ({ subject }) => subject],
  ['source', ({ source }) => source],
  ['eventId', ({ eventId }) => eventId],
  ['time', ({ time }) => time],
  ['receivedAt', ({ receivedAt }) => receivedAt],
  ['rules', ({ rules }) => rules.map(({ rule, state }) => `${rule} ${state}`).join('; ')],
];

/** What the rules made of a signal, in a line. */
function Outcome({ signal: { isOpen, rules, cancels = [] } }: { readonly signal: Signal }) {
  if (isOpen) return <Small>no rule was asked yet</Small>;
  if (rules.length + cancels.length === 0) return <Small>no rule is on this type</Small>;
  return (
    <Made>
      {rules.map(({ rule, state }) => (
        <span key={rule}>
          <StateText $color={RULE_STATES[state].color} data-sign={RULE_STATES[state].sign}>
            {state}
          </StateText>{' '}
          <Small>{rule}</Small>
        </span>
      ))}
      {cancels.map((rule) => (
        <Small key={rule}>cancels {rule}</Small>
      ))}
    </Made>
  );
}

function lengthText(seconds: number): string {
  const [n, unit] =
    seconds % 86_400 === 0
      ? [seconds / 86_400, 'day']
      : seconds % 3600 === 0
        ? [seconds / 3600, 'hour']
        : [Math.round(seconds / 6) / 10, 'minute'];
  return `${n} ${unit}${n === 1 ? '' : 's'}`;
}

/** How a rule sends, in words. */
function howOf({ afterSeconds, unless, combineSeconds, atMost }: SignalRules['rules'][number]): string {
  const parts = [
    afterSeconds === undefined ? '' : `after ${lengthText(afterSeconds)}`,
    unless === undefined ? '' : `unless ${unless} comes`,
    combineSeconds === undefined ? '' : `all of ${lengthText(combineSeconds)} in one email`,
    atMost === undefined ? '' : `at most ${atMost.count} in ${lengthText(atMost.seconds)}`,
  ].filter((part) => part !== '');
  return parts.join(', ') || 'at once';
}

function RuleTable() {
  const { client, space } = useSession();
  const { data } = useQuery({ queryKey: ['signal-rules', space.name], queryFn: () => client.signals.rules(), refetchInterval: REFRESH_MS });
  if (data === undefined || data.rules.length === 0) return null;
  return (
    <Rules aria-label="Rules">
      <h2>Rules of edition {data.edition}</h2>
      <Sheet aria-label="Rules">
        <TableHeader>
          <Column isRowHeader>Rule</Column>
          <Column isRowHeader>On</Column>
          <Column>Sends</Column>
          <Column>When</Column>
          <Column>Last 7 days</Column>
        </TableHeader>
        <TableBody>
          {data.rules.map((rule) => (
            <Row key={rule.name} id={rule.name}>
              <Cell>{rule.name}</Cell>
              <Cell>
                <Mono>{rule.on}</Mono>
              </Cell>
              <Cell>{rule.template}</Cell>
              <Cell>
                {howOf(rule)}
                {rule.when !== undefined && (
                  <>
                    <br />
                    <Mono>{rule.when}</Mono>
                  </>
                )}
              </Cell>
              <Cell>
                {Object.entries(rule.counts)
                  .map(([state, n]) => `${n} ${state}`)
                  .join(', ') || '–'}
              </Cell>
            </Row>
          ))}
        </TableBody>
      </Sheet>
    </Rules>
  );
}

/** What happened in apps, newest first, and what followed. */
export function Signals() {
  const { client, space } = useSession();
  const [params, setParams] = useSearchParams();
  const state = STATES.find((known) => known === params.get('show'));
  const type = params.get('type') ?? undefined;
  const filter = { ...(state === undefined ? {} : { state }), ...(type === undefined ? {} : { type }) };
  const pages = usePages({
    key: ['signals', space.name, filter],
    read: (page) => client.signals.list({ ...filter, ...page }),
    rowsOf: (page) => page.signals,
    refreshMs: REFRESH_MS,
  });
  const { rows } = pages;
  return (
    <>
      <SendTabs />
      <Head>
        <h1>Signals</h1>
        <Filters
          aria-label="Result of the rule"
          selectionMode="single"
          selectedKeys={state === undefined ? [] : [state]}
          onSelectionChange={(keys) => setParams([...keys].length === 0 ? {} : { show: String([...keys][0]) }, { replace: true })}
        >
          {STATES.map((known) => (
            <Filter key={known} id={known}>
              {known === 'no-rule' ? 'no rule' : known}
            </Filter>
          ))}
        </Filters>
        {rows.length > 0 && <SaveCsv name="signals" columns={CSV} all={pages.all} />}
      </Head>
      {pages.error !== null && <Fault error={pages.error} />}
      {pages.isSuccess && rows.length === 0 && (
        <Empty
          title={state === undefined ? 'No signal has come in' : 'No signal fits'}
          command="verbalis signal booking.paid --data booking.json --wait"
        >
          The app says what happened with POST /v1/signals (CloudEvents); rules in signals/ of the mail folder say which emails follow. The
          same from the command line:
        </Empty>
      )}
      {rows.length > 0 && (
        <Sheet aria-label="Signals">
          <TableHeader>
            <Column isRowHeader>Type</Column>
            <Column isRowHeader>About</Column>
            <Column>What followed</Column>
            <Column>Came in</Column>
          </TableHeader>
          <TableBody>
            {rows.map((signal) => (
              <Row key={signal.id} id={signal.id} href={`/send/signals/${signal.id}`}>
                <Cell>
                  <Mono>{signal.type}</Mono>
                </Cell>
                <Cell>{signal.subject ?? ''}</Cell>
                <Cell>
                  <Outcome signal={signal} />
                </Cell>
                <Cell>
                  <When at={signal.receivedAt} />
                </Cell>
              </Row>
            ))}
          </TableBody>
        </Sheet>
      )}
      <Older pages={pages}>Older signals</Older>
      <RuleTable />
    </>
  );
}
