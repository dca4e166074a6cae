import type { AlertRule, AlertView, NewAlertRule } from '@verbalis/client';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Cell, Column, Row, TableBody, TableHeader, ToggleButton } from 'react-aria-components';
import styled from 'styled-components';
import { Button, Empty, Fault, Mono, When } from '../parts/basics.js';
import { Choose } from '../parts/choose.js';
import { Confirm } from '../parts/confirm.js';
import { Kinds } from '../events/filter-field.js';
import { Field, Inline, Section, Small } from '../parts/form.js';
import { Head, Sheet, TrackTabs } from '../parts/list.js';
import { SaveCsv, type CsvColumn } from '../parts/save-csv.js';
import { useSession } from '../session.js';
import { color } from '../style.js';

const Now = styled.strong<{ readonly $firing: boolean }>`
  color: ${({ $firing }) => ($firing ? color.bad : color.soft)};
  white-space: nowrap;
`;

// Not a grid: what can be done with each is reached by Tab alone.
const Rules = styled.section`
  margin-top: 40px;
  ul {
    list-style: none;
    margin: 12px 0 0;
    padding: 0;
    border-top: 1px solid ${color.hair};
  }
  li {
    display: grid;
    grid-template-columns: minmax(8em, 190px) minmax(0, 1fr) max-content;
    gap: 4px 16px;
    align-items: baseline;
    padding: 12px 0;
    border-bottom: 1px solid ${color.hair};
  }
  @media (max-width: 700px) {
    li {
      grid-template-columns: minmax(0, 1fr);
    }
  }
`;

/** Fields of a number are no wider than a number. */
const Numbers = styled(Inline)`
  > :has(input[type='number']) {
    flex: 0 1 200px;
  }
`;

const Actions = styled.span`
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
`;

type Limit = 'percent' | 'count' | 'queueSeconds' | 'fewer';

const LIMITS: readonly (readonly [Limit, string])[] = [
  ['percent', 'percent of sent emails'],
  ['count', 'events'],
  ['queueSeconds', 'seconds that the oldest email waits'],
  ['fewer', 'events: fires below this number'],
];
const COUNTED = ['accepted', 'delivered', 'failed', 'delayed', 'complained', 'withheld', 'expired', 'topic-left'] as const;
const GROUPS = ['topic', 'template', 'provider', 'domain', 'cause'] as const;

/** A rule in words. */
function inWords(rule: AlertRule): string {
  if (rule.queueSeconds !== undefined) return `the oldest email has waited more than ${rule.queueSeconds} s`;
  const kinds = rule.of.join(' or ');
  if (rule.fewer !== undefined) {
    const { hours } = rule;
    const when = hours === undefined ? '' : `, from ${hours.from} to ${hours.to} (${hours.timeZone})`;
    return `fewer than ${rule.fewer} ${kinds} in ${rule.minutes} minutes${rule.where === '' ? '' : `, where ${rule.where}`}${when}`;
  }
  const limit = rule.percent === undefined ? `more than ${rule.count ?? 0} ${kinds}` : `more than ${rule.percent}% ${kinds}`;
  const each = rule.by === undefined ? '' : `, per ${rule.by}`;
  const only = rule.where === '' ? '' : `, where ${rule.where}`;
  return `${limit} in ${rule.minutes} minutes${each}${only}, at least ${rule.least} events`;
}

function limitOf(rule: AlertRule | undefined): Limit {
  if (rule?.fewer !== undefined) return 'fewer';
  return rule?.queueSeconds !== undefined ? 'queueSeconds' : rule?.count !== undefined ? 'count' : 'percent';
}

/** Sets a rule, or changes one. */
function RuleForm({ rule, onDone }: { readonly rule: AlertRule | undefined; readonly onDone: () => void }) {
  const { client, space } = useSession();
  const queries = useQueryClient();
  const [limit, setLimit] = useState<Limit>(limitOf(rule));
  const [of, setOf] = useState<readonly string[]>(rule?.of ?? ['failed']);
  const [by, setBy] = useState<string>(rule?.by ?? 'none');
  const set = useMutation({
    mutationFn: ({ name, wanted }: { readonly name: string; readonly wanted: NewAlertRule }) => client.alerts.setRule(name, wanted),
    onSuccess: () => {
      onDone();
      return queries.invalidateQueries({ queryKey: ['alerts', space.name] });
    },
  });
  const isCounted = limit !== 'queueSeconds';
  const isMissing = limit === 'fewer';
  return (
    <Section
      aria-label={rule === undefined ? 'A new rule' : `The rule ${rule.name}`}
      onSubmit={(event) => {
        event.preventDefault();
        const form = new FormData(event.currentTarget);
        const text = (name: string): string => {
          const value = form.get(name);
          return typeof value === 'string' ? value.trim() : '';
        };
        const [from, to] = [text('from'), text('to')];
        const wanted = {
          [limit]: Number(text('limit')),
          ...(isCounted ? { of: [...of], where: text('where'), minutes: Number(text('minutes')) } : {}),
          ...(isCounted && !isMissing ? { least: Number(text('least')), ...(by === 'none' ? {} : { by }) } : {}),
          ...(isMissing && from !== '' ? { hours: { from, to, timeZone: text('timeZone') } } : {}),
        } as NewAlertRule;
        set.mutate({ name: rule?.name ?? text('name'), wanted });
      }}
    >
      <h2>{rule === undefined ? 'A new rule' : `Change ${rule.name}`}</h2>
      {rule === undefined && <Field name="name" label="Name (small letters, digits and “-”)" required />}
      <Numbers as="div">
        <Field
          name="limit"
          label={isMissing ? 'Fewer than' : 'More than'}
          type="number"
          required
          value={String(rule?.[limitOf(rule)] ?? 5)}
        />
        <Choose label="of" value={limit} options={LIMITS} onChange={(value) => setLimit(value as Limit)} />
      </Numbers>
      {isCounted && (
        <>
          <div>
            <Small id="counted">What is counted</Small>
            <Kinds
              aria-labelledby="counted"
              selectionMode="multiple"
              disallowEmptySelection
              selectedKeys={of}
              onSelectionChange={(keys) => setOf([...keys].map(String))}
            >
              {COUNTED.map((kind) => (
                <ToggleButton key={kind} id={kind}>
                  {kind}
                </ToggleButton>
              ))}
            </Kinds>
          </div>
          <Numbers as="div">
            <Field name="minutes" label="Within the last minutes" type="number" required value={String(rule?.minutes ?? 15)} />
            {isMissing ? (
              <>
                <Field name="from" label="Only from (06:00)" value={rule?.hours?.from ?? ''} />
                <Field name="to" label="to (22:00)" value={rule?.hours?.to ?? ''} />
                <Field name="timeZone" label="in the time zone" value={rule?.hours?.timeZone ?? 'UTC'} />
              </>
            ) : (
              <>
                <Field name="least" label="No alert below" type="number" required value={String(rule?.least ?? 5)} />
                <Choose
                  label="Each on its own"
                  value={by}
                  options={[['none', 'all together'], ...GROUPS.map((group) => [group, `each ${group}`] as const)]}
                  onChange={setBy}
                />
              </>
            )}
          </Numbers>
          <Field name="where" label="Only events that pass this filter (all, when it is empty)" value={rule?.where ?? ''} />
        </>
      )}
      <Actions>
        <Button type="submit">{rule === undefined ? 'Set the rule' : 'Change it'}</Button>
        {rule !== undefined && (
          <Button $quiet onPress={onDone}>
            Leave it
          </Button>
        )}
      </Actions>
      {set.error !== null && <Fault error={set.error} />}
    </Section>
  );
}

const CSV: readonly CsvColumn<AlertView>[] = [
  ['rule', ({ rule }) => rule],
  ['for', ({ group }) => group],
  ['since', ({ since }) => since],
  ['until', ({ resolvedAt }) => resolvedAt],
  ['value', ({ value }) => value],
  ['found', ({ text }) => text],
];

function AlertTable({ alerts }: { readonly alerts: readonly AlertView[] }) {
  return (
    <Sheet aria-label="Alerts">
      <TableHeader>
        <Column isRowHeader>Rule</Column>
        <Column isRowHeader>State</Column>
        <Column>For</Column>
        <Column>What was found</Column>
        <Column>Since</Column>
      </TableHeader>
      <TableBody>
        {alerts.map((alert) => (
          <Row key={alert.id} id={alert.id}>
            <Cell>
              <Mono>{alert.rule}</Mono>
            </Cell>
            <Cell>
              <Now $firing={alert.resolvedAt === undefined}>{alert.resolvedAt === undefined ? '▲ firing' : '✓ resolved'}</Now>
            </Cell>
            <Cell>{alert.group ?? 'all'}</Cell>
            <Cell>{alert.text}</Cell>
            <Cell>
              <When at={alert.since} />
            </Cell>
          </Row>
        ))}
      </TableBody>
    </Sheet>
  );
}

/** Rules over what happens: those that hold, those that have held, and all that are in force. */
export function Alerts() {
  const { client, space } = useSession();
  const queries = useQueryClient();
  const [changing, setChanging] = useState<AlertRule>();
  const [round, setRound] = useState(0);
  const { data, error } = useQuery({ queryKey: ['alerts', space.name], queryFn: () => client.alerts.list(), refetchInterval: 5000 });
  const remove = useMutation({
    mutationFn: (name: string) => client.alerts.removeRule(name),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['alerts', space.name] }),
  });
  return (
    <>
      <TrackTabs />
      <Head>
        <h1>Alerts</h1>
        {data !== undefined && data.alerts.length > 0 && <SaveCsv name="alerts" columns={CSV} all={() => [data.alerts]} />}
      </Head>
      {error !== null && <Fault error={error} />}
      {data?.alerts.length === 0 && (
        <Empty title="All is quiet" command="verbalis alerts set many-fail --percent 5 --by topic --minutes 15">
          When a rule begins to hold, that is an event like any other, so a subscription can carry it to a chat or a pager; the operator of
          the space gets an email.
        </Empty>
      )}
      {data !== undefined && data.alerts.length > 0 && <AlertTable alerts={data.alerts} />}
      {data !== undefined && data.rules.length > 0 && (
        <Rules>
          <h2>Rules in force</h2>
          <ul>
            {data.rules.map((rule) => (
              <li key={rule.name}>
                <Mono>{rule.name}</Mono>
                <span>{inWords(rule)}</span>
                {rule.from !== 'service' ? (
                  <Small>{rule.from === 'configuration' ? 'in verbalis.yaml' : 'always in force'}</Small>
                ) : (
                  <Actions>
                    <Button $quiet aria-label={`Change ${rule.name}`} onPress={() => setChanging(rule)}>
                      Change
                    </Button>
                    <Confirm
                      label="Remove"
                      name={`Remove ${rule.name}`}
                      title={`Remove the rule ${rule.name}?`}
                      action="Remove"
                      words="Its alerts are resolved, and it fires no more."
                      onConfirm={() => remove.mutate(rule.name)}
                    />
                  </Actions>
                )}
              </li>
            ))}
          </ul>
          {remove.error !== null && <Fault error={remove.error} />}
        </Rules>
      )}
      <RuleForm
        key={`${changing?.name ?? ''}:${round}`}
        rule={changing}
        onDone={() => {
          setChanging(undefined);
          setRound(round + 1);
        }}
      />
    </>
  );
}
