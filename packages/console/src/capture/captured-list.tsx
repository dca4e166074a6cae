import type { CapturedSummary } from '@verbalis/client';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Cell, Column, Input, Label, Row, TableBody, TableHeader } from 'react-aria-components';
import { useSearchParams } from 'react-router';
import styled from 'styled-components';
import { Attention } from '../parts/attention.js';
import { Empty, Fault, Mono, When } from '../parts/basics.js';
import { Choose } from '../parts/choose.js';
import { Confirm } from '../parts/confirm.js';
import { Head, Search, Sheet } from '../parts/list.js';
import { useFollow } from '../parts/follow.js';
import { useTryMatters } from '../parts/matters.js';
import { Older, usePages } from '../parts/pages.js';
import { SaveCsv, type CsvColumn } from '../parts/save-csv.js';
import { useSession } from '../session.js';
import { color, font } from '../style.js';

const Subject = styled.span.attrs({ dir: 'auto' })`
  overflow-wrap: anywhere;
  font-family: ${font.serif};
`;

const Code = styled.span`
  font: 600 14px/1 ${font.mono};
  letter-spacing: 0.08em;
  border: 1px solid ${color.accent};
  border-radius: 4px;
  padding: 2px 6px;
  margin-left: 8px;
  color: ${color.accent};
  white-space: nowrap;
`;

const Live = styled.span`
  color: ${color.soft};
  font-size: 15px;
`;

const CONNECTION = {
  connecting: 'Connecting …',
  live: 'Live: new mail appears at the top.',
  lost: '△ The service does not answer. What is shown may be old; it is asked again.',
} as const;

const CSV: readonly CsvColumn<CapturedSummary>[] = [
  ['id', ({ id }) => id],
  ['to', ({ to }) => to],
  ['from', ({ from }) => from],
  ['subject', ({ subject }) => subject],
  ['code', ({ code }) => code],
  ['attachments', ({ attachments }) => attachments],
  ['bytes', ({ size }) => size],
  ['receivedAt', ({ receivedAt }) => receivedAt],
];

/** Captured mail as it arrives, newest first. */
export function CapturedList() {
  const { client, space } = useSession();
  const queries = useQueryClient();
  const [params, setParams] = useSearchParams();
  const find = params.get('find') ?? '';
  const to = params.get('to') ?? '';
  const filter = { ...(find === '' ? {} : { find }), ...(to === '' ? {} : { to }) };
  const pages = usePages({
    key: ['captured', space.name, filter],
    read: (page) => client.captured.list({ ...filter, ...page }),
    rowsOf: (page) => page.captured,
  });
  const addresses = useQuery({ queryKey: ['captured', space.name, 'addresses'], queryFn: () => client.captured.addresses() });
  const refresh = () => void queries.invalidateQueries({ queryKey: ['captured', space.name] });
  const { connection, refusal } = useFollow((options) => client.captured.follow(options), { take: refresh, began: refresh }, [
    client,
    space.name,
  ]);
  const clear = useMutation({
    mutationFn: () => client.captured.clear(filter),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['captured', space.name] }),
  });
  const change = (name: string, value: string): void => {
    const next = new URLSearchParams(params);
    if (value === '') next.delete(name);
    else next.set(name, value);
    setParams(next, { replace: true });
  };
  const matters = useTryMatters();
  const { rows } = pages;
  const filtered = find !== '' || to !== '';
  const known = addresses.data?.addresses ?? [];
  return (
    <>
      <Head>
        <h1>Captured mail</h1>
        <Search key={find} defaultValue={find} onSubmit={(text) => change('find', text.trim())} onClear={() => change('find', '')}>
          <Label>Words in it</Label>
          <Input placeholder="code, ferry, asa@post.example" />
        </Search>
        <Choose
          label="Recipient"
          value={to}
          options={[
            ['', 'everybody'],
            ...known.map(({ address, emails }) => [address, `${address} (${emails})`] as const),
            ...(to !== '' && !known.some(({ address }) => address === to) ? [[to, to] as const] : []),
          ]}
          onChange={(value) => change('to', value)}
        />
        {rows.length > 0 && (
          <Confirm
            label={filtered ? 'Clear these' : 'Clear all'}
            title={filtered ? 'Remove what is shown?' : `Remove all captured mail of ${space.name}?`}
            words="This cannot be undone. The messages stay, with their timelines."
            onConfirm={() => clear.mutate()}
          />
        )}
        {rows.length > 0 && <SaveCsv name="captured" columns={CSV} all={pages.all} />}
        <Live role="status">{CONNECTION[connection]}</Live>
      </Head>
      {!filtered && <Attention matters={matters} />}
      {pages.error !== null && <Fault error={pages.error} />}
      {refusal !== undefined && <Fault error={refusal} />}
      {clear.error !== null && <Fault error={clear.error} />}
      {pages.isSuccess && rows.length === 0 && !filtered && (
        <Empty
          title="No mail has been captured here"
          command={
            space.submission === undefined
              ? `verbalis send sign-in-code --space ${space.name} --to asa@post.example --data code.json`
              : `SMTP_HOST=${space.submission.split(':')[0] ?? ''}\nSMTP_PORT=${space.submission.split(':').pop() ?? ''}`
          }
        >
          {space.mode === 'capture'
            ? 'Whatever an app sends to this space is captured here instead of being sent: to be read, searched and waited for by tests.'
            : 'This space delivers. Email that its rules keep here, and tests that are sent to “captured mail”, are on this page.'}
          {space.submission !== undefined &&
            ' Any app that speaks SMTP needs no more than these two settings, with any user and password or none.'}
        </Empty>
      )}
      {pages.isSuccess && rows.length === 0 && filtered && (
        <Empty title="No captured mail fits" command="verbalis captured list">
          All words must occur, in any order and case. Remove a filter to see more.
        </Empty>
      )}
      {rows.length > 0 && (
        <Sheet aria-label="Captured mail">
          <TableHeader>
            <Column isRowHeader>To</Column>
            <Column>From</Column>
            <Column isRowHeader>Subject</Column>
            <Column>Received</Column>
          </TableHeader>
          <TableBody>
            {rows.map((row) => (
              <Row key={row.id} id={row.id} href={`/try/${row.id}`}>
                <Cell>
                  <Mono>{row.to}</Mono>
                </Cell>
                <Cell>{row.from.split('<')[0]?.trim() || row.from}</Cell>
                <Cell>
                  <Subject>{row.subject === '' ? '(no subject)' : row.subject}</Subject>
                  {row.code !== undefined && <Code>{row.code}</Code>}
                  {row.attachments > 0 && <Live> + {row.attachments} attached</Live>}
                </Cell>
                <Cell>
                  <When at={row.receivedAt} />
                </Cell>
              </Row>
            ))}
          </TableBody>
        </Sheet>
      )}
      <Older pages={pages}>Older mail</Older>
    </>
  );
}
