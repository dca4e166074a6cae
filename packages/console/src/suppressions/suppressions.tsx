import type { Client, SuppressionView } from '@verbalis/client';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import {
  Cell,
  Column,
  Dialog,
  DialogTrigger,
  FileTrigger,
  Heading,
  Input,
  Label,
  Row,
  TableBody,
  TableHeader,
} from 'react-aria-components';
import { useSearchParams } from 'react-router';
import styled from 'styled-components';
import { Button, Empty, Fault, Mono, When } from '../parts/basics.js';
import { Field, Inline } from '../parts/form.js';
import { Filter, Filters, Head, Search, Sheet, TrackTabs } from '../parts/list.js';
import { Box, Ground } from '../parts/modal.js';
import { Older, usePages } from '../parts/pages.js';
import { useSession } from '../session.js';
import { color } from '../style.js';

const Add = styled.section`
  margin-bottom: 24px;
`;

const Bring = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: baseline;
  margin-bottom: 24px;
`;

const Why = styled.span`
  color: ${color.soft};
`;

function Lift({ one }: { readonly one: SuppressionView }) {
  const { client } = useSession();
  const queries = useQueryClient();
  const lift = useMutation({
    mutationFn: (note: string) => client.suppressions.lift(one.id, { note }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['suppressions'] }),
  });
  return (
    <DialogTrigger>
      <Button $quiet aria-label={`Lift ${one.address}`}>
        Lift
      </Button>
      <Ground isDismissable>
        <Box>
          <Dialog>
            <Heading slot="title">Let {one.address} get mail again?</Heading>
            <p>{one.sentence}</p>
            <Inline
              onSubmit={(event) => {
                event.preventDefault();
                const note = new FormData(event.currentTarget).get('note');
                if (typeof note === 'string') lift.mutate(note.trim());
              }}
            >
              <Field name="note" label="Why" required />
              <Button type="submit" isDisabled={lift.isPending}>
                Lift
              </Button>
              <Button $quiet slot="close">
                Leave it
              </Button>
            </Inline>
            {lift.error !== null && <Fault error={lift.error} />}
          </Dialog>
        </Box>
      </Ground>
    </DialogTrigger>
  );
}

/** The outcome of an import. */
function importedText({ added, known, refused, lines }: Awaited<ReturnType<Client['suppressions']['import']>>): string {
  const first = lines.find(({ result }) => result === 'refused');
  const why = first === undefined ? '' : ` The first: line ${first.line}, ${first.problem ?? ''}`;
  return `${added} added, ${known} were there, ${refused} refused.${why}`;
}

/** A list of before, from another system. */
function Import() {
  const { client } = useSession();
  const queries = useQueryClient();
  const bring = useMutation({
    mutationFn: async (file: File) => client.suppressions.import(new Uint8Array(await file.arrayBuffer())),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['suppressions'] }),
  });
  return (
    <Bring>
      <FileTrigger
        acceptedFileTypes={['.csv', 'text/csv', 'text/plain']}
        onSelect={(files) => {
          const [file] = files ?? [];
          if (file !== undefined) bring.mutate(file);
        }}
      >
        <Button $quiet isDisabled={bring.isPending}>
          {bring.isPending ? 'Importing …' : 'Import a CSV file'}
        </Button>
      </FileTrigger>
      <Why>One column is “address”; “topic”, “reason” and “note” are read, too.</Why>
      {bring.error !== null && <Fault error={bring.error} />}
      {bring.data !== undefined && <p role="status">{importedText(bring.data)}</p>}
    </Bring>
  );
}

function AddForm() {
  const { client } = useSession();
  const queries = useQueryClient();
  const [key, setKey] = useState(0);
  const add = useMutation({
    mutationFn: (wanted: { address: string; topic?: string; note?: string }) => client.suppressions.add(wanted),
    onSuccess: async () => {
      setKey((before) => before + 1);
      await queries.invalidateQueries({ queryKey: ['suppressions'] });
    },
  });
  return (
    <Add aria-label="Add">
      <Inline
        key={key}
        onSubmit={(event) => {
          event.preventDefault();
          const form = new FormData(event.currentTarget);
          const of = (name: string): string => {
            const value = form.get(name);
            return typeof value === 'string' ? value.trim() : '';
          };
          const [topic, note] = [of('topic'), of('note')];
          add.mutate({ address: of('address'), ...(topic === '' ? {} : { topic }), ...(note === '' ? {} : { note }) });
        }}
      >
        <Field name="address" label="Send no more to" required />
        <Field name="topic" label="Only of the topic" />
        <Field name="note" label="Note" />
        <Button type="submit" isDisabled={add.isPending}>
          Add
        </Button>
      </Inline>
      {add.error !== null && <Fault error={add.error} />}
      {add.data !== undefined && (
        <p role="status">
          {add.data.address} gets no mail any more{add.data.topic === undefined ? '' : ` of the topic ${add.data.topic}`}.
        </p>
      )}
    </Add>
  );
}

/** Addresses that get no more mail, why, and the way back. */
export function Suppressions() {
  const { client, space } = useSession();
  const [params, setParams] = useSearchParams();
  const find = params.get('find') ?? '';
  const isLifted = params.get('lifted') === 'yes';
  const filter = { ...(find === '' ? {} : { address: find }), ...(isLifted ? { lifted: 'yes' as const } : {}) };
  const pages = usePages({
    key: ['suppressions', space.name, filter],
    read: (page) => client.suppressions.list({ ...filter, ...page }),
    rowsOf: (page) => page.suppressions,
  });
  const { rows } = pages;
  const set = (name: string, text: string): void => {
    const next = new URLSearchParams(params);
    if (text === '') next.delete(name);
    else next.set(name, text);
    setParams(next, { replace: true });
  };
  const search = (text: string): void => set('find', text);
  return (
    <>
      <TrackTabs />
      <Head>
        <h1>Suppressions</h1>
        <Search key={find} defaultValue={find} onSubmit={(text) => search(text.trim())} onClear={() => search('')}>
          <Label>Address</Label>
          <Input placeholder="asa@post.example" />
        </Search>
        <Filters
          aria-label="Which"
          selectionMode="single"
          disallowEmptySelection
          selectedKeys={[isLifted ? 'yes' : 'no']}
          onSelectionChange={(keys) => set('lifted', [...keys].includes('yes') ? 'yes' : '')}
        >
          <Filter id="no">in force</Filter>
          <Filter id="yes">lifted</Filter>
        </Filters>
        <a style={{ paddingBlock: 8 }} href={`/v1/suppressions/export?space=${encodeURIComponent(space.name)}`} download="suppressions.csv">
          All as CSV
        </a>
      </Head>
      {!isLifted && <AddForm />}
      {!isLifted && <Import />}
      {pages.error !== null && <Fault error={pages.error} />}
      {pages.isSuccess && rows.length === 0 && (
        <Empty
          title={isLifted ? 'Nothing was lifted' : find === '' ? 'No address is suppressed' : 'This address is not suppressed'}
          command="verbalis suppressions import old.csv"
        >
          An address that refuses mail permanently, or whose owner complains or unsubscribes, gets no mail until a person lifts it with a
          note. Import a list:
        </Empty>
      )}
      {rows.length > 0 && (
        <Sheet aria-label="Suppressions">
          <TableHeader>
            <Column isRowHeader>Address</Column>
            <Column isRowHeader>Topic</Column>
            <Column isRowHeader>Why</Column>
            <Column>Since</Column>
            <Column>{isLifted ? 'Lifted' : 'Lift'}</Column>
          </TableHeader>
          <TableBody>
            {rows.map((row) => (
              <Row key={row.id} id={row.id}>
                <Cell>
                  <Mono>{row.address}</Mono>
                </Cell>
                <Cell>{row.topic ?? 'all'}</Cell>
                <Cell>
                  {row.reason}
                  {row.cause === undefined ? '' : `, ${row.cause}`} <Why>{row.note ?? row.evidence}</Why>
                </Cell>
                <Cell>
                  <When at={row.createdAt} />
                </Cell>
                <Cell>
                  {row.liftedAt === undefined ? (
                    <Lift one={row} />
                  ) : (
                    <>
                      <When at={row.liftedAt} /> <Why>{row.liftNote}</Why>
                    </>
                  )}
                </Cell>
              </Row>
            ))}
          </TableBody>
        </Sheet>
      )}
      <Older pages={pages}>Older ones</Older>
    </>
  );
}
