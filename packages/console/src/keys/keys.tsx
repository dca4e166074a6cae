import type { Client, Key, KeyMade } from '@verbalis/client';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import styled from 'styled-components';
import { Button, Empty, Fault, Mono, StateText, When } from '../parts/basics.js';
import { Confirm } from '../parts/confirm.js';
import { Copied } from '../parts/copy.js';
import { Field, Section, Small } from '../parts/form.js';
import { Head } from '../parts/list.js';
import { PlainTable } from '../parts/plain-table.js';
import { SetUpTabs } from '../parts/set-up.js';
import { useSession } from '../session.js';
import { color } from '../style.js';

const SCOPES = [
  ['send', 'send: messages, and what happened'],
  ['signals', 'signals: what happened, nothing else'],
  ['read', 'read: everything of the space but sensitive data'],
  ['write', 'write: suppressions, subscriptions, editions'],
  ['manage', 'manage: also keys'],
  ['read-sensitive', 'read-sensitive: what templates mark as sensitive'],
] as const;
/** What a form has for a list, and the bound that it makes. */
const LISTS = [
  ['templates', 'Only these templates'],
  ['senders', 'Only these senders'],
  ['recipients', 'Only these recipients'],
  ['usedFrom', 'Only from these addresses or networks'],
] as const;
const DAY_MS = 86_400_000;

type NewKey = Parameters<Client['keys']['add']>[0];

const Choices = styled.fieldset`
  border: 0;
  padding: 0;
  margin: 0;
  display: grid;
  gap: 6px;
  legend {
    padding: 0;
    font-weight: 600;
    margin-bottom: 6px;
  }
`;

const Secret = styled.div`
  display: grid;
  gap: 8px;
  border: 1px solid ${color.accent};
  border-radius: 6px;
  padding: 14px 16px;
  margin-top: 20px;
  overflow-wrap: anywhere;
`;

const Buttons = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
`;

const STATES: Readonly<Record<Key['state'], readonly [sign: string, hue: string]>> = {
  active: ['●', color.good],
  expired: ['–', color.soft],
  revoked: ['✕', color.soft],
};

/** A secret, this once. */
function Made({ made }: { readonly made: KeyMade }) {
  return (
    <Secret role="status">
      <p>
        The secret of <strong>{made.name}</strong>. It is shown once and kept as a hash only: store it with the app’s secrets.
      </p>
      <Copied text={made.key} name="the secret" />
    </Secret>
  );
}

function boundsText({ bounds }: Key): string {
  if (bounds === undefined) return '';
  const { perHour, ...lists } = bounds;
  const parts = Object.entries(lists).map(([name, list]) => `${name}: ${list.join(', ')}`);
  return [...parts, ...(perHour === undefined ? [] : [`${perHour} emails an hour`])].join('; ');
}

function Actions({ of, onMade }: { readonly of: Key; readonly onMade: (made: KeyMade) => void }) {
  const { client } = useSession();
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: ['keys'] });
  const rotate = useMutation({
    mutationFn: () => client.keys.rotate(of.id, { overlapHours: 24 }),
    onSuccess: async (made) => {
      onMade(made);
      await refresh();
    },
  });
  const revoke = useMutation({ mutationFn: () => client.keys.revoke(of.id), onSuccess: refresh });
  const fault = rotate.error ?? revoke.error;
  if (of.state === 'revoked') return null;
  return (
    <>
      <Buttons>
        <Confirm
          label="Rotate"
          name={`Rotate the key ${of.name}`}
          title={`Give ${of.name} a new secret?`}
          words="The old one stays valid for 24 hours, so that the app can be changed. For a key that has leaked: verbalis keys rotate --overlap 0."
          action="Rotate"
          onConfirm={() => rotate.mutate()}
        />
        <Confirm
          label="Revoke"
          name={`Revoke the key ${of.name}`}
          title={`Revoke ${of.name}?`}
          words="Requests with it are refused from now on. This cannot be undone."
          action="Revoke"
          onConfirm={() => revoke.mutate()}
        />
      </Buttons>
      {fault !== null && <Fault error={fault} />}
    </>
  );
}

/** The key that a form asks for. */
function wanted(form: FormData): NewKey {
  const of = (name: string): string => {
    const value = form.get(name);
    return typeof value === 'string' ? value.trim() : '';
  };
  const lists = LISTS.flatMap(([name]) => {
    const entries = of(name)
      .split(/[\s,]+/)
      .filter((entry) => entry !== '');
    return entries.length === 0 ? [] : [[name, entries] as const];
  });
  const bounds = { ...Object.fromEntries(lists), ...(of('perHour') === '' ? {} : { perHour: Number(of('perHour')) }) };
  return {
    name: of('name'),
    scopes: SCOPES.map(([scope]) => scope).filter((scope) => form.get(`scope ${scope}`) !== null),
    ...(of('days') === '' ? {} : { expiresAt: new Date(Date.now() + Number(of('days')) * DAY_MS).toISOString() }),
    ...(Object.keys(bounds).length === 0 ? {} : { bounds }),
  };
}

function Add({ onMade }: { readonly onMade: (made: KeyMade) => void }) {
  const { client } = useSession();
  const queries = useQueryClient();
  const [key, setKey] = useState(0);
  const add = useMutation({
    mutationFn: (asked: NewKey) => client.keys.add(asked),
    onSuccess: async (made) => {
      setKey((before) => before + 1);
      onMade(made);
      await queries.invalidateQueries({ queryKey: ['keys'] });
    },
  });
  return (
    <Section
      key={key}
      aria-label="Make a key"
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate(wanted(new FormData(event.currentTarget)));
      }}
    >
      <h2>Make a key</h2>
      <Field name="name" label="What uses it" required />
      <Choices>
        <legend>What it may do</legend>
        {SCOPES.map(([scope, words]) => (
          <label key={scope}>
            <input type="checkbox" name={`scope ${scope}`} defaultChecked={scope === 'send'} /> {words}
          </label>
        ))}
      </Choices>
      <details>
        <summary>Bounds</summary>
        <Section as="div">
          {LISTS.map(([name, words]) => (
            <Field key={name} name={name} label={words} />
          ))}
          <Field name="perHour" label="Emails an hour at most" type="number" />
          <Field name="days" label="Ends after so many days" type="number" />
        </Section>
      </details>
      <div>
        <Button type="submit" isDisabled={add.isPending}>
          Make the key
        </Button>
      </div>
      {add.error !== null && <Fault error={add.error} />}
    </Section>
  );
}

/** What programs use the space with. */
export function Keys() {
  const { client, space } = useSession();
  const [made, setMade] = useState<KeyMade>();
  const { data, error } = useQuery({ queryKey: ['keys', space.name], queryFn: () => client.keys.list() });
  const keys = data?.keys ?? [];
  return (
    <>
      <SetUpTabs />
      <Head>
        <h1>Keys</h1>
      </Head>
      {error !== null && <Fault error={error} />}
      {data !== undefined && keys.length === 0 && (
        <Empty title="A key for each app" command={`verbalis keys add shop --space ${space.name} --scopes send,read`}>
          An app authenticates with a key of the space. Give each app its own key, with only the scopes it needs.
        </Empty>
      )}
      {keys.length > 0 && (
        <PlainTable
          label="Keys"
          rows={keys}
          id={({ id }) => id}
          columns={[
            { title: 'Name', show: ({ name }) => name },
            {
              title: 'State',
              show: ({ state, expiresAt, rotatesUntil }) => (
                <>
                  <StateText $color={STATES[state][1]} data-sign={STATES[state][0]}>
                    {state}
                  </StateText>
                  {state === 'active' && expiresAt !== undefined && (
                    <Small>
                      {' '}
                      until <When at={expiresAt} />
                    </Small>
                  )}
                  {rotatesUntil !== undefined && (
                    <Small>
                      {' '}
                      old secret until <When at={rotatesUntil} />
                    </Small>
                  )}
                </>
              ),
            },
            { title: 'Secret', show: ({ start }) => <Mono>{start}…</Mono> },
            {
              title: 'May',
              show: (key) => (
                <>
                  {key.scopes.join(', ')} <Small>{boundsText(key)}</Small>
                </>
              ),
            },
            {
              title: 'Last used',
              show: ({ lastUsedAt, lastUsedFrom }) =>
                lastUsedAt === undefined ? (
                  'never'
                ) : (
                  <>
                    <When at={lastUsedAt} /> <Small>from {lastUsedFrom}</Small>
                  </>
                ),
            },
            { title: 'Change', isQuiet: true, show: (key) => <Actions of={key} onMade={setMade} /> },
          ]}
        />
      )}
      {made !== undefined && <Made made={made} />}
      <Add onMade={setMade} />
    </>
  );
}
