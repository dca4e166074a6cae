import { keepPreviousData, useQuery } from '@tanstack/react-query';
import styled from 'styled-components';
import { Button, Fault, Mono } from '../parts/basics.js';
import { Choose } from '../parts/choose.js';
import { SteadyFrame } from '../parts/steady-frame.js';
import { OneOf, Toggle } from '../parts/switches.js';
import { useSession } from '../session.js';
import { color, font } from '../style.js';
import { DataForm } from './data-form.js';
import { Bar } from './pane.js';
import { SendTest } from './send-test.js';
import type { Work } from './work.js';

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

type Result = NonNullable<Work['rendered']['result']>;
type Mail = NonNullable<Result['mail']>;

/** The mail that the source makes, in all its forms. */
export function ResultPane({ work }: { readonly work: Work }) {
  const { template, params, rendered, request } = work;
  const { mail, result, error } = rendered;
  const view = (VIEWS.find(([id]) => id === params.get('view')) ?? VIEWS[0])[0];
  return (
    <section aria-label="Result">
      <Choices work={work} view={view} />
      {view === 'mail' && <Looks work={work} />}
      {error !== null && <Fault error={error} />}
      {result !== undefined && result.mail === undefined && (
        <Notice role="alert">
          {whyNone(result)} {mail !== undefined && 'Below is what it was before.'}
        </Notice>
      )}
      {mail !== undefined && view !== 'data' && (
        <Subject>
          <strong dir="auto">{mail.subject}</strong>
          <span dir="auto">{mail.preview}</span>
        </Subject>
      )}
      {mail !== undefined && <MailView mail={mail} view={view} params={params} />}
      {view === 'data' && <DataView work={work} />}
      {mail !== undefined && (
        <Meter $part={mail.htmlBytes / mail.clipLimit}>
          <i aria-hidden="true" />
          <span>
            HTML {(mail.htmlBytes / 1000).toFixed(1)} kB of the {(mail.clipLimit / 1000).toFixed(0)} kB after which some webmail cuts; the
            whole mail {(mail.bytes / 1000).toFixed(1)} kB
          </span>
        </Meter>
      )}
      {mail !== undefined && template.testBy.length > 0 && <SendTest name={template.name} wanted={request} ways={template.testBy} />}
    </section>
  );
}

/** Why no mail came of the source and the data. */
function whyNone({ dataProblems, problems }: Result): string {
  if (dataProblems.length > 0)
    return `The data does not fit: ${dataProblems.map(({ path, message }) => `${path === '' ? 'it' : path} ${message}`).join('; ')}.`;
  return problems.find(({ severity }) => severity === 'error')?.message ?? 'The mail cannot be made.';
}

/** Which mail is shown: sample, locale and view. */
function Choices({ work, view }: { readonly work: Work; readonly view: View }) {
  const { template, set, sample, locale, own } = work;
  return (
    <Bar>
      {template.samples.length > 0 && (
        <Choose
          label="Sample"
          value={sample ?? ''}
          options={template.samples.map((name) => [name, own.sample === name ? `${name}, changed` : name])}
          onChange={(value) => set({ sample: value })}
        />
      )}
      {template.locales.length > 0 && (
        <Choose
          label="Locale"
          value={locale ?? ''}
          options={[
            ...template.locales.map((tag) => [tag, tag] as const),
            ...template.untranslated.map((tag) => [tag, `${tag}, not translated`] as const),
          ]}
          onChange={(value) => set({ locale: value })}
        />
      )}
      <OneOf<View> label="View" value={view} options={VIEWS} onChange={(value) => set({ view: value === 'mail' ? undefined : value })} />
    </Bar>
  );
}

/** How a client shows the mail: its width, its colours, what it leaves out. */
function lookOf(params: URLSearchParams) {
  return {
    width: (WIDTHS.find(([id]) => id === params.get('width')) ?? WIDTHS[0])[0],
    isDark: params.get('scheme') === 'dark',
    hasPictures: params.get('pictures') !== 'off',
    isStripped: params.get('styles') === 'stripped',
  };
}

function Looks({ work: { params, set } }: { readonly work: Work }) {
  const { width, isDark, hasPictures, isStripped } = lookOf(params);
  return (
    <Bar>
      <OneOf<Width>
        label="Width"
        value={width}
        options={WIDTHS}
        onChange={(value) => set({ width: value === 'desktop' ? undefined : value })}
      />
      <Toggle on={isDark} onChange={(on) => set({ scheme: on ? 'dark' : undefined })}>
        Dark
      </Toggle>
      <Toggle on={!hasPictures} onChange={(on) => set({ pictures: on ? 'off' : undefined })}>
        Pictures off
      </Toggle>
      <Toggle on={isStripped} onChange={(on) => set({ styles: on ? 'stripped' : undefined })}>
        Styles stripped
      </Toggle>
    </Bar>
  );
}

function MailView({ mail, view, params }: { readonly mail: Mail; readonly view: View; readonly params: URLSearchParams }) {
  const { space } = useSession();
  if (view === 'mail') {
    const { width, isDark, hasPictures, isStripped } = lookOf(params);
    const query = new URLSearchParams({
      space: space.name,
      scheme: isDark ? 'dark' : 'light',
      pictures: hasPictures ? 'all' : 'none',
      stripped: isStripped ? 'yes' : 'no',
    });
    return (
      <Shell $width={PIXELS[width]}>
        <SteadyFrame title="Mail" src={`/v1/frames/${mail.frame}?${query.toString()}`} height="720px" />
      </Shell>
    );
  }
  if (view === 'text')
    return (
      <Plain tabIndex={0} aria-label="Text part">
        {mail.text}
      </Plain>
    );
  if (view === 'html' || view === 'source') return <Source frame={mail.frame} what={view} />;
  if (view !== 'links') return null;
  return (
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
  );
}

/** The sample's data, to be changed here only. */
function DataView({ work }: { readonly work: Work }) {
  const { template, sample, own, setOwn, rendered } = work;
  return (
    <>
      <Bar>
        <span>{own.data === undefined ? `The sample “${sample ?? ''}”.` : 'Changed here only; the sample’s file is as it was.'}</span>
        {own.data !== undefined && (
          <Button $quiet onPress={() => setOwn(undefined)}>
            Back to the sample
          </Button>
        )}
      </Bar>
      <DataForm
        schema={template.schema}
        data={own.data ?? template.data[sample ?? ''] ?? {}}
        problems={rendered.result?.dataProblems ?? []}
        onChange={setOwn}
      />
    </>
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
