import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Input, Label } from 'react-aria-components';
import styled from 'styled-components';
import { Button, Fault, Mono } from '../parts/basics.js';
import { Small } from '../parts/form.js';
import { Head, Search } from '../parts/list.js';
import { PlainTable } from '../parts/plain-table.js';
import { SetUpTabs } from '../parts/set-up.js';
import { useSession } from '../session.js';

const Buttons = styled.div`
  display: grid;
  gap: 8px;
  justify-items: start;
`;

/** The settings in force, with where each came from. */
export function Configuration() {
  const { client } = useSession();
  const queries = useQueryClient();
  const [text, setText] = useState('');
  const { data, error } = useQuery({ queryKey: ['configuration'], queryFn: () => client.configuration.get() });
  const reload = useMutation({ mutationFn: () => client.configuration.reload(), onSuccess: () => queries.invalidateQueries() });
  const wanted = text.trim().toLowerCase();
  const settings = (data?.settings ?? []).filter(({ path, origin }) => `${path} ${origin ?? ''}`.toLowerCase().includes(wanted));
  const given = settings.filter(({ origin }) => origin !== undefined);
  const usual = settings.filter(({ origin }) => origin === undefined);
  return (
    <>
      <SetUpTabs />
      <Head>
        <h1>Configuration</h1>
        <Search value={text} onChange={setText}>
          <Label>Setting</Label>
          <Input placeholder="providers, returns.port …" />
        </Search>
        <Buttons>
          <Button onPress={() => reload.mutate()} isDisabled={reload.isPending}>
            Read it again
          </Button>
        </Buttons>
      </Head>
      {error !== null && <Fault error={error} />}
      {reload.error !== null && <Fault error={reload.error} />}
      {reload.data !== undefined && (
        <p role="status">
          {reload.data.changed.length === 0
            ? 'It was read again; nothing has changed.'
            : `It was read again. Changed: ${reload.data.changed.map(({ path }) => path).join(', ')}.`}
        </p>
      )}
      {[
        ['Set', given],
        ['Usual', usual],
      ].map(([title, rows]) =>
        typeof title !== 'string' || typeof rows === 'string' || rows === undefined || rows.length === 0 ? null : (
          <section key={title} aria-label={title}>
            <h2>{title}</h2>
            <PlainTable
              label={title}
              rows={rows}
              id={({ path }) => path}
              columns={[
                { title: 'Setting', show: ({ path }) => <Mono>{path}</Mono> },
                { title: 'Value', show: ({ value }) => <Mono>{value}</Mono> },
                ...(title === 'Set'
                  ? [{ title: 'From', show: ({ origin }: { origin?: string | undefined }) => <Small>{origin}</Small> }]
                  : []),
              ]}
            />
          </section>
        ),
      )}
      <p>Change settings in the file or by environment variables. Secrets are never shown.</p>
    </>
  );
}
