import type { DomainRecord } from '@verbalis/client';
import styled from 'styled-components';
import { Copied } from '../parts/copy.js';
import { Small } from '../parts/form.js';
import { color, font } from '../style.js';
import { DomainState } from './words.js';

const Box = styled.section`
  border-top: 1px solid ${color.hair};
  padding: 20px 0;
  display: grid;
  gap: 12px;
  max-width: 820px;
  header {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 16px;
    align-items: baseline;
    justify-content: space-between;
  }
  dl {
    display: grid;
    grid-template-columns: 96px minmax(0, 1fr);
    gap: 8px 16px;
    margin: 0;
  }
  dt {
    color: ${color.soft};
    line-height: 28px;
  }
  dd {
    margin: 0;
    line-height: 28px;
  }
  summary {
    cursor: pointer;
    color: ${color.accent};
    padding: 2px 0;
  }
  ul {
    margin: 8px 0;
    padding-left: 20px;
  }
  @media (max-width: 480px) {
    dl {
      grid-template-columns: minmax(0, 1fr);
      gap: 0;
    }
  }
`;

const FindingBox = styled.div<{ $isBad: boolean }>`
  border-left: 3px solid ${({ $isBad }) => ($isBad ? color.bad : color.hair)};
  padding: 4px 16px;
  display: grid;
  gap: 8px;
  pre {
    margin: 0;
    font: 14px/20px ${font.mono};
    white-space: pre-wrap;
    overflow-wrap: anywhere;
    color: ${color.soft};
  }
`;

function Finding({ finding, title }: { readonly finding: DomainRecord['findings'][number]; readonly title: string }) {
  return (
    <FindingBox $isBad={finding.severity === 'fix'}>
      <p>{finding.sentence}</p>
      {finding.found !== '' && (
        <div>
          <Small>There now</Small>
          <pre>{finding.found}</pre>
        </div>
      )}
      {finding.enter !== undefined && (
        <div>
          <Small>Enter this instead</Small>
          <Copied text={finding.enter} name={`new value of ${title}`} />
        </div>
      )}
    </FindingBox>
  );
}

/** One record: how it is, what is wrong, and what to enter. */
export function RecordBox({ record }: { readonly record: DomainRecord }) {
  const { guide, value, name, priority, findings } = record;
  const id = `record-${record.type}-${name}`;
  return (
    <Box aria-labelledby={id}>
      <header>
        <h2 id={id}>
          {guide.title}
          {record.required ? '' : ' (optional)'}
        </h2>
        <DomainState state={record.state} />
      </header>
      <Small as="p">
        {guide.purpose} {guide.without}
      </Small>
      {findings.map((finding) => (
        <Finding key={finding.kind} finding={finding} title={guide.title} />
      ))}
      <dl>
        <dt>Type</dt>
        <dd>{guide.type}</dd>
        <dt>Name</dt>
        <dd>
          <Copied text={guide.host} name={`name of ${guide.title}`} />
          <Small>In full: {name}</Small>
        </dd>
        {priority !== undefined && (
          <>
            <dt>Priority</dt>
            <dd>{priority}</dd>
          </>
        )}
        <dt>Value</dt>
        <dd>
          <Copied text={value} name={`value of ${guide.title}`} />
        </dd>
      </dl>
      <details>
        <summary>How to enter it, and common mistakes</summary>
        <ul>
          {guide.entering.map((text) => (
            <li key={text}>{text}</li>
          ))}
        </ul>
        <Small>Common mistakes</Small>
        <ul>
          {guide.mistakes.map((text) => (
            <li key={text}>{text}</li>
          ))}
        </ul>
      </details>
    </Box>
  );
}
