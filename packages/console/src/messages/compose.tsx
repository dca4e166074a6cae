import type { MessageSummary, NewMessage } from '@verbalis/client';
import { keepPreviousData, useMutation, useQuery } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import styled from 'styled-components';
import { Empty, Fault, Mono, StateWord } from '../parts/basics.js';
import { Choose } from '../parts/choose.js';
import { Confirm } from '../parts/confirm.js';
import { Small } from '../parts/form.js';
import { SendTabs } from '../parts/list.js';
import { SteadyFrame } from '../parts/steady-frame.js';
import { useSession } from '../session.js';
import { color, font, wide } from '../style.js';
import { inNumber } from '../words.js';
import { DataForm } from '../workbench/data-form.js';

const Split = styled.div`
  display: grid;
  gap: 24px 40px;
  grid-template-columns: minmax(0, 1fr);
  ${wide} {
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  }
`;

const Side = styled.div`
  display: grid;
  gap: 16px;
  align-content: start;
  min-width: 0;
`;

const Line = styled.label`
  display: grid;
  gap: 4px;
  font-size: 14px;
  color: ${color.soft};
  input,
  textarea {
    font: 16px/24px ${font.sans};
    padding: 6px 12px;
    color: ${color.text};
    background: ${color.raised};
    border: 1px solid ${color.soft};
    border-radius: 6px;
  }
`;

const Subject = styled.strong`
  font: 600 18px/1.3 ${font.serif};
`;

const Page = styled.div`
  display: grid;
  gap: 20px;
`;

const Choices = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
`;

/** Addresses as people write them down: one a line, or with commas or semicolons. */
function addressesIn(text: string): string[] {
  return [...new Set(text.split(/[,;\n]+/).map((address) => address.trim()))].filter((address) => address !== '');
}

/** Who among the recipients gets no mail, and why. */
function Suppressed({ addresses }: { readonly addresses: readonly string[] }) {
  const { client, space } = useSession();
  const { data } = useQuery({
    queryKey: ['suppressions', space.name, 'of', addresses],
    queryFn: async () =>
      (await Promise.all(addresses.slice(0, 20).map((address) => client.suppressions.list({ address: bare(address), limit: 1 })))).flatMap(
        ({ suppressions }) => suppressions,
      ),
    enabled: addresses.length > 0,
  });
  return (data ?? []).map(({ id, address, sentence }) => (
    <p key={id} role="status">
      ✕ <Mono>{address}</Mono> gets no mail: {sentence}
    </p>
  ));
}

/** "Ása <asa@post.example>" is about asa@post.example. */
function bare(written: string): string {
  return /<([^<>]+)>\s*$/.exec(written)?.[1] ?? written;
}

function Sent({ sent }: { readonly sent: MessageSummary }) {
  return (
    <div role="status">
      <p>
        It is accepted: <Link to={`/track/messages/${sent.id}`}>see its outcome</Link>.
      </p>
      {sent.deliveries.map(({ id, address, state }) => (
        <p key={id}>
          <StateWord state={state} /> <Mono>{address}</Mono>
        </p>
      ))}
    </div>
  );
}

/** What is composed: kept while another template is looked at. */
function useDraft(name: string) {
  const { client, space } = useSession();
  const template = useQuery({
    queryKey: ['template', space.name, name, undefined],
    queryFn: () => client.templates.get(name),
    enabled: name !== '',
  });
  const samples = template.data?.samples ?? [];
  const [chosen, setSample] = useState<string>();
  const sample = chosen ?? (samples.includes('typical') ? 'typical' : samples[0]);
  const [own, setOwn] = useState<unknown>();
  const data = own ?? (sample === undefined ? {} : (template.data?.data[sample] ?? {}));
  const [locale, setLocale] = useState<string>();
  const wanted = useDeferredValue({ data, ...(locale === undefined ? {} : { locale }), advice: false });
  const rendered = useQuery({
    queryKey: ['render', space.name, name, wanted],
    queryFn: ({ signal }) => client.templates.render(name, wanted, { signal }),
    enabled: template.isSuccess,
    placeholderData: keepPreviousData,
    gcTime: 30_000,
  });
  return {
    template,
    samples,
    sample,
    data,
    locale: locale ?? template.data?.locales[0],
    rendered,
    setOwn,
    setLocale,
    setSample: (value: string) => {
      setOwn(undefined);
      setSample(value);
    },
  };
}

function Draft({ name }: { readonly name: string }) {
  const { client, space } = useSession();
  const { template, samples, sample, data, locale, rendered, setOwn, setLocale, setSample } = useDraft(name);
  const [to, setTo] = useState('');
  const [at, setAt] = useState('');
  const [reference, setReference] = useState('');
  const send = useMutation({ mutationFn: (message: NewMessage) => client.messages.send(message) });
  const addresses = useDeferredValue(addressesIn(to));
  if (template.error !== null) return <Fault error={template.error} />;
  if (template.data === undefined) return <p role="status">Reading the template …</p>;
  const mail = rendered.data?.mail;
  const problems = rendered.data?.dataProblems ?? [];
  const isReady = addresses.length > 0 && problems.length === 0 && mail !== undefined;
  const act = (): void =>
    send.mutate({
      template: name,
      to: addresses,
      data: data as Record<string, unknown>,
      ...(locale === undefined ? {} : { locale }),
      ...(at === '' ? {} : { notBefore: new Date(at).toISOString() }),
      ...(reference === '' ? {} : { reference }),
    });
  const what = `${inNumber(addresses.length, 'recipient')}${at === '' ? '' : `, not before ${at.replace('T', ' ')}`}`;
  return (
    <Split>
      <Side>
        <Line>
          To (several: one a line, or with commas)
          <textarea rows={2} value={to} onChange={(event) => setTo(event.target.value)} placeholder="Ása <asa@post.example>" required />
        </Line>
        <Suppressed addresses={addresses} />
        <Line>
          Not before (your time; left out: now)
          <input type="datetime-local" value={at} onChange={(event) => setAt(event.target.value)} />
        </Line>
        <Line>
          Reference (your own name for what it is about)
          <input value={reference} onChange={(event) => setReference(event.target.value)} />
        </Line>
        <Choices>
          {samples.length > 0 && (
            <Choose label="Begin with the sample" value={sample ?? ''} options={samples.map((name) => [name, name])} onChange={setSample} />
          )}
          {template.data.locales.length > 0 && (
            <Choose label="Locale" value={locale ?? ''} options={template.data.locales.map((tag) => [tag, tag])} onChange={setLocale} />
          )}
        </Choices>
        <DataForm schema={template.data.schema} data={data} problems={problems} onChange={setOwn} />
        <div>
          {isReady ? (
            <Confirm
              label={at === '' ? 'Send' : 'Schedule'}
              name={at === '' ? 'Send the message' : 'Schedule the message'}
              title={`${at === '' ? 'Send' : 'Schedule'} “${mail.subject}”?`}
              words={`${what}. ${space.mode === 'capture' ? 'This space captures: nothing leaves.' : 'This space delivers.'}`}
              action={at === '' ? 'Send it' : 'Schedule it'}
              onConfirm={act}
            />
          ) : (
            <Small>{addresses.length === 0 ? 'Name the recipient.' : 'The data does not fit yet; see the form.'}</Small>
          )}
        </div>
        {send.error !== null && <Fault error={send.error} />}
        {send.data !== undefined && <Sent sent={send.data} />}
      </Side>
      <Side>
        {rendered.error !== null && <Fault error={rendered.error} />}
        {mail !== undefined && (
          <>
            <Subject dir="auto">{mail.subject}</Subject>
            <SteadyFrame
              title="The email"
              src={`/v1/frames/${mail.frame}?${new URLSearchParams({ space: space.name }).toString()}`}
              height="720px"
            />
          </>
        )}
      </Side>
    </Split>
  );
}

/** One message from a template, by hand: its data in a form, its look beside it. */
export function Compose() {
  const { client, space } = useSession();
  const [params, setParams] = useSearchParams();
  const { data, error } = useQuery({ queryKey: ['templates', space.name], queryFn: () => client.templates.list() });
  const names = (data?.templates ?? []).map((template) => template.name);
  const name = params.get('template') ?? names[0] ?? '';
  return (
    <>
      <SendTabs />
      <h1>Compose</h1>
      {error !== null && <Fault error={error} />}
      {data !== undefined && names.length === 0 && (
        <Empty title="There is no template yet" command="verbalis publish demo/mail">
          A message by hand is made from a template of the edition in use.
        </Empty>
      )}
      {names.length > 0 && (
        <Page>
          <Choose
            label="Template"
            value={name}
            options={names.map((text) => [text, text])}
            onChange={(value) => setParams({ template: value }, { replace: true })}
          />
          <Draft key={name} name={name} />
        </Page>
      )}
    </>
  );
}
