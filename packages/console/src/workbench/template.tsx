import type { SourceProblem, TemplateDetail } from '@verbalis/client';
import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/react-query';
import { useDeferredValue, useEffect, useMemo, useState } from 'react';
import { useParams, useSearchParams, Link } from 'react-router';
import styled from 'styled-components';
import { Button, Fault, Mono } from '../parts/basics.js';
import { Choose } from '../parts/choose.js';
import { Editor, type Jump } from '../parts/editor.js';
import { SteadyFrame } from '../parts/steady-frame.js';
import { OneOf, Toggle } from '../parts/switches.js';
import { useSession } from '../session.js';
import { color, font } from '../style.js';
import { useChanges } from './changes.js';
import { DataForm } from './data-form.js';
import { Problems } from './problems.js';
import { SendTest } from './send-test.js';

const Top = styled.header`
  display: grid;
  gap: 4px;
  margin-bottom: 16px;
`;

const Split = styled.div`
  display: grid;
  gap: 24px;
  grid-template-columns: minmax(0, 1fr);
  @media (min-width: 1100px) {
    grid-template-columns: minmax(0, 5fr) minmax(0, 6fr);
  }
`;

const Bar = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 8px 12px;
  align-items: end;
  margin-bottom: 12px;
`;

const Subject = styled.div`
  padding: 8px 0 12px;
  display: grid;
  gap: 2px;
  strong {
    font: 600 18px/1.3 ${font.serif};
  }
  span {
    color: ${color.soft};
    font-size: 15px;
  }
`;

const Shell = styled.div<{ readonly $width: string }>`
  width: ${({ $width }) => $width};
  max-width: 100%;
  min-width: 280px;
  overflow: auto;
  resize: ${({ $width }) => ($width === '100%' ? 'horizontal' : 'none')};
`;

const Plain = styled.pre`
  margin: 0;
  padding: 16px;
  max-height: 720px;
  overflow: auto;
  border: 1px solid ${color.hair};
  border-radius: 6px;
  background: ${color.raised};
  font: 13px/1.55 ${font.mono};
  white-space: pre-wrap;
  overflow-wrap: anywhere;
`;

const Meter = styled.div<{ readonly $part: number }>`
  display: flex;
  gap: 10px;
  align-items: center;
  color: ${color.soft};
  font-size: 14px;
  margin-top: 8px;
  i {
    display: block;
    width: 120px;
    height: 6px;
    border-radius: 3px;
    background: linear-gradient(
      to right,
      ${({ $part }) => ($part > 1 ? color.bad : $part > 0.85 ? color.wait : color.accent)} ${({ $part }) => Math.min(100, $part * 100)}%,
      ${color.hair} 0
    );
  }
`;

const Links = styled.ol`
  margin: 0;
  padding: 0;
  list-style: none;
  li {
    padding: 8px 0;
    border-bottom: 1px solid ${color.hair};
    overflow-wrap: anywhere;
  }
`;

const Notice = styled.p`
  border-left: 3px solid ${color.bad};
  padding: 8px 12px;
  background: ${color.wash};
  margin-bottom: 12px;
`;

const WIDTHS = [
  ['desktop', 'Desktop'],
  ['phone', 'Phone'],
  ['free', 'Free'],
] as const;
const VIEWS = [
  ['mail', 'Mail'],
  ['text', 'Text'],
  ['html', 'HTML'],
  ['source', 'Whole mail'],
  ['links', 'Links'],
  ['data', 'Data'],
] as const;
type Width = (typeof WIDTHS)[number][0];
type View = (typeof VIEWS)[number][0];
/** A phone's usual width, and what an email is given on a desk. */
const PIXELS: Readonly<Record<Width, string>> = { desktop: '700px', phone: '375px', free: '100%' };

/** What was typed and not saved, by file. */
type Edits = Readonly<Record<string, string>>;

/** One template: its source beside the mail it makes, which follows every sign that is typed or saved. */
export function Template() {
  const { client, space, folder } = useSession();
  const { name = '' } = useParams();
  const [params, setParams] = useSearchParams();
  useChanges();
  const edition = params.get('edition') === null ? undefined : Number(params.get('edition'));
  const { data, error } = useQuery({
    queryKey: ['template', space.name, name, edition],
    queryFn: () => client.templates.get(name, edition === undefined ? {} : { edition }),
    placeholderData: keepPreviousData,
  });
  const set = (changes: Readonly<Record<string, string | undefined>>): void =>
    setParams(
      (before) => {
        const next = new URLSearchParams(before);
        for (const [key, value] of Object.entries(changes)) {
          if (value === undefined) next.delete(key);
          else next.set(key, value);
        }
        return next;
      },
      { replace: true },
    );
  if (error !== null) return <Fault error={error} />;
  if (data === undefined) return <p role="status">Reading the template …</p>;
  return (
    <article>
      <Top>
        <Link to="/write">← Templates</Link>
        <h1>{name}</h1>
        <span>
          {folder === undefined ? `Edition ${data.edition ?? ''}, read only: the source is in your repository` : <Mono>{folder}</Mono>}
        </span>
      </Top>
      <Work key={`${name}/${data.edition ?? ''}`} {...{ data, params, set, edition }} />
    </article>
  );
}

function Work({
  data,
  params,
  set,
  edition,
}: {
  readonly data: TemplateDetail;
  readonly params: URLSearchParams;
  readonly set: (changes: Readonly<Record<string, string | undefined>>) => void;
  readonly edition: number | undefined;
}) {
  const { client, space, folder } = useSession();
  const queries = useQueryClient();
  const { name, files } = data;
  const path = params.get('file') ?? files[0]?.path ?? '';
  const file = files.find((one) => one.path === path) ?? files[0];
  const sample = params.get('sample') ?? (data.samples.includes('typical') ? 'typical' : data.samples[0]);
  const locale = params.get('locale') ?? data.locales[0];
  const width = (WIDTHS.find(([id]) => id === params.get('width')) ?? WIDTHS[0])[0];
  const view = (VIEWS.find(([id]) => id === params.get('view')) ?? VIEWS[0])[0];
  const dark = params.get('scheme') === 'dark';
  const pictures = params.get('pictures') !== 'off';
  const stripped = params.get('styles') === 'stripped';
  const [edits, setEdits] = useState<Edits>({});
  const [own, setOwn] = useState<{ readonly sample: string | undefined; readonly data: unknown }>();
  const [jump, setJump] = useState<Jump>();
  const [saveFault, setSaveFault] = useState<unknown>();
  const ownData = own?.sample === sample ? own?.data : undefined;

  // A file that was saved elsewhere with the same text is no edit any more.
  useEffect(() => {
    setEdits((before) => {
      const left = Object.entries(before).filter(([key, text]) => files.find((one) => one.path === key)?.text !== text);
      return left.length === Object.keys(before).length ? before : Object.fromEntries(left);
    });
  }, [files]);

  const wanted = useMemo(
    () => ({
      ...(edition === undefined ? {} : { edition }),
      ...(ownData === undefined ? (sample === undefined ? {} : { sample }) : { data: ownData }),
      ...(locale === undefined ? {} : { locale }),
      ...(Object.keys(edits).length === 0 ? {} : { edits }),
    }),
    [edition, ownData, sample, locale, edits],
  );
  const settled = useDeferredValue(wanted);
  const rendered = useQuery({
    queryKey: ['render', space.name, name, settled],
    queryFn: ({ signal }) => client.templates.render(name, settled, { signal }),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    gcTime: 30_000,
  });
  const [lastMail, setLastMail] = useState(rendered.data?.mail);
  useEffect(() => {
    if (rendered.data?.mail !== undefined) setLastMail(rendered.data.mail);
  }, [rendered.data]);
  const mail = rendered.data?.mail ?? lastMail;
  const problems = rendered.data?.problems ?? data.problems;
  const dataProblems = rendered.data?.dataProblems ?? [];
  const errors = problems.filter((problem) => problem.severity === 'error');

  const jumpTo = (one: SourceProblem): void => {
    if (files.some((other) => other.path === one.file)) set({ file: one.file });
    setJump((before) => ({ line: one.line, column: one.column, n: (before?.n ?? 0) + 1 }));
  };
  const save = async (): Promise<void> => {
    if (file === undefined || edits[file.path] === undefined || !data.editable) return;
    try {
      await client.templates.save({ path: file.path, text: edits[file.path] ?? '', was: file.text });
      setSaveFault(undefined);
      await queries.invalidateQueries({ queryKey: ['template'] });
    } catch (error) {
      setSaveFault(error);
    }
  };
  const frame =
    mail === undefined
      ? undefined
      : `/v1/frames/${mail.frame}?${new URLSearchParams({ space: space.name, scheme: dark ? 'dark' : 'light', pictures: pictures ? 'all' : 'none', stripped: stripped ? 'yes' : 'no' }).toString()}`;
  const editing = file !== undefined && edits[file.path] !== undefined;

  return (
    <Split>
      <section aria-label="Source">
        <Bar>
          <Choose
            label="File"
            value={file?.path ?? ''}
            options={files.map((one) => [
              one.path,
              `${one.path.replace(`templates/${name}/`, '')}${edits[one.path] === undefined ? '' : ' •'}`,
            ])}
            onChange={(value) => set({ file: value })}
          />
          {editing && data.editable && <Button onPress={() => void save()}>Save</Button>}
          {editing && (
            <Button
              $quiet
              onPress={() => setEdits((before) => Object.fromEntries(Object.entries(before).filter(([key]) => key !== file.path)))}
            >
              Take back
            </Button>
          )}
          {editing && !data.editable && <span>Tried here only, saved nowhere.</span>}
        </Bar>
        {saveFault !== undefined && <Fault error={saveFault} />}
        {file !== undefined && (
          <Editor
            key={file.path}
            path={file.path}
            text={edits[file.path] ?? file.text}
            problems={problems}
            readOnly={folder === undefined}
            jump={jump}
            onChange={(text) =>
              setEdits((before) => {
                if (text !== file.text) return { ...before, [file.path]: text };
                return Object.fromEntries(Object.entries(before).filter(([key]) => key !== file.path));
              })
            }
            onSave={() => void save()}
          />
        )}
        <h2 id="problems" style={{ marginTop: 20 }}>
          Problems and suggestions
        </h2>
        {problems.length === 0 ? <p>Nothing to say.</p> : <Problems problems={problems} onJump={jumpTo} />}
      </section>
      <section aria-label="Result">
        <Bar>
          {data.samples.length > 0 && (
            <Choose
              label="Sample"
              value={sample ?? ''}
              options={data.samples.map((text) => [text, own?.sample === text ? `${text}, changed` : text])}
              onChange={(value) => set({ sample: value })}
            />
          )}
          {data.locales.length > 0 && (
            <Choose
              label="Locale"
              value={locale ?? ''}
              options={[
                ...data.locales.map((text) => [text, text] as const),
                ...data.untranslated.map((text) => [text, `${text}, not translated`] as const),
              ]}
              onChange={(value) => set({ locale: value })}
            />
          )}
          <OneOf<View>
            label="View"
            value={view}
            options={VIEWS}
            onChange={(value) => set({ view: value === 'mail' ? undefined : value })}
          />
        </Bar>
        {view === 'mail' && (
          <Bar>
            <OneOf<Width>
              label="Width"
              value={width}
              options={WIDTHS}
              onChange={(value) => set({ width: value === 'desktop' ? undefined : value })}
            />
            <Toggle on={dark} onChange={(on) => set({ scheme: on ? 'dark' : undefined })}>
              Dark
            </Toggle>
            <Toggle on={!pictures} onChange={(on) => set({ pictures: on ? 'off' : undefined })}>
              Pictures off
            </Toggle>
            <Toggle on={stripped} onChange={(on) => set({ styles: on ? 'stripped' : undefined })}>
              Styles stripped
            </Toggle>
          </Bar>
        )}
        {rendered.error !== null && <Fault error={rendered.error} />}
        {rendered.data !== undefined && rendered.data.mail === undefined && (
          <Notice role="alert">
            {dataProblems.length > 0
              ? `The data does not fit: ${dataProblems.map((dataProblem) => `${dataProblem.path === '' ? 'it' : dataProblem.path} ${dataProblem.message}`).join('; ')}.`
              : (errors[0]?.message ?? 'The mail cannot be made.')}{' '}
            {mail !== undefined && 'Below is what it was before.'}
          </Notice>
        )}
        {mail !== undefined && view !== 'data' && (
          <Subject>
            <strong dir="auto">{mail.subject}</strong>
            <span dir="auto">{mail.preview}</span>
          </Subject>
        )}
        {mail !== undefined && frame !== undefined && view === 'mail' && (
          <Shell $width={PIXELS[width]}>
            <SteadyFrame title="Mail" src={frame} height="720px" />
          </Shell>
        )}
        {mail !== undefined && view === 'text' && (
          <Plain tabIndex={0} aria-label="Text part">
            {mail.text}
          </Plain>
        )}
        {mail !== undefined && (view === 'html' || view === 'source') && <Source frame={mail.frame} what={view} />}
        {mail !== undefined && view === 'links' && (
          <Links aria-label="Links">
            {mail.links.map((link, i) => (
              <li key={i}>
                {link.text === '' ? 'a picture without words' : link.text}
                <br />
                <Mono>{link.href}</Mono>
              </li>
            ))}
            {mail.links.length === 0 && <li>There are no links in this mail.</li>}
          </Links>
        )}
        {view === 'data' && (
          <>
            <Bar>
              <span>{ownData === undefined ? `The sample “${sample ?? ''}”.` : 'Changed here only; the sample’s file is as it was.'}</span>
              {ownData !== undefined && (
                <Button $quiet onPress={() => setOwn(undefined)}>
                  Back to the sample
                </Button>
              )}
            </Bar>
            <DataForm
              schema={data.schema}
              data={ownData ?? data.data[sample ?? ''] ?? {}}
              problems={dataProblems}
              onChange={(next) => setOwn({ sample, data: next })}
            />
          </>
        )}
        {mail !== undefined && (
          <Meter $part={mail.htmlBytes / mail.clipLimit}>
            <i aria-hidden="true" />
            <span>
              HTML {(mail.htmlBytes / 1000).toFixed(1)} kB of the {(mail.clipLimit / 1000).toFixed(0)} kB after which some webmail cuts; the
              whole mail {(mail.bytes / 1000).toFixed(1)} kB
            </span>
          </Meter>
        )}
        {mail !== undefined && data.testBy.length > 0 && <SendTest name={name} wanted={wanted} ways={data.testBy} />}
      </section>
    </Split>
  );
}

function Source({ frame, what }: { readonly frame: string; readonly what: 'html' | 'source' }) {
  const { client } = useSession();
  const { data, error } = useQuery({
    queryKey: ['frame', frame, what],
    queryFn: () => (what === 'html' ? client.templates.frameHtml(frame) : client.templates.frameSource(frame)),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
  });
  if (error !== null) return <Fault error={error} />;
  return (
    <Plain tabIndex={0} aria-label={what === 'html' ? 'HTML source' : 'Whole mail'}>
      {data}
    </Plain>
  );
}
