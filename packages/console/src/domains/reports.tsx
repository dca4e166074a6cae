import type { DomainReports } from '@verbalis/client';
import { useQuery } from '@tanstack/react-query';
import { Cell, Column, Row, TableBody, TableHeader } from 'react-aria-components';
import styled from 'styled-components';
import { Mono, When } from '../parts/basics.js';
import { Small } from '../parts/form.js';
import { Sheet } from '../parts/list.js';
import { SaveCsv, type CsvColumn } from '../parts/save-csv.js';
import { useSession } from '../session.js';
import { color } from '../style.js';
import { inNumber } from '../words.js';

type Source = DomainReports['sources'][number];

const Box = styled.section`
  border-top: 1px solid ${color.hair};
  padding: 20px 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 12px;
  header {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 16px;
    justify-content: space-between;
    align-items: baseline;
  }
`;

const CSV: readonly CsvColumn<Source>[] = [
  ['source', ({ source }) => source],
  ['count', ({ count }) => count],
  ['aligned', ({ aligned }) => aligned],
  ['dkim', ({ dkim }) => dkim],
  ['spf', ({ spf }) => spf],
  ['refused', ({ refused }) => refused],
  ['unproven', ({ unproven }) => unproven],
  ['envelopeFrom', ({ envelopeFrom }) => envelopeFrom ?? ''],
  ['last', ({ last }) => last],
];

const share = (part: number, all: number): string => (part === all ? 'all' : `${Math.round((part / all) * 1000) / 10}%`);

/** Who sends in the name of a domain, as receivers report it. */
export function Reports({ name }: { readonly name: string }) {
  const { client } = useSession();
  const { data } = useQuery({ queryKey: ['domain-reports', name], queryFn: () => client.domainReports.get(name, { days: 30 }) });
  if (data === undefined) return null;
  const { total, sources, tls, reports } = data;
  const problems = reports.filter(({ problem }) => problem !== undefined);
  const unproven = [...new Set(reports.flatMap(({ proof, reporter }) => (proof?.state === 'unproven' ? [reporter] : [])))];
  return (
    <Box aria-labelledby="reports">
      <header>
        <h2 id="reports">What receivers report</h2>
        {sources.length > 0 && <SaveCsv name={`reports-${name}`} columns={CSV} all={() => [sources]} />}
      </header>
      <p>
        {total.count === 0
          ? 'No DMARC report came in within the last 30 days.'
          : `${inNumber(total.count, 'email')} within 30 days, ${share(total.aligned, total.count)} of them authentic.`}
        {tls.successful + tls.failed > 0 && ` TLS to our hosts: ${inNumber(tls.successful, 'connection')}, ${tls.failed} failed.`}
      </p>
      {sources.length > 0 && (
        <Sheet aria-label="Who sends in the name of the domain">
          <TableHeader>
            <Column isRowHeader>Sent from</Column>
            <Column>Emails</Column>
            <Column>Authentic</Column>
            <Column>DKIM</Column>
            <Column>SPF</Column>
            <Column>Envelope from</Column>
            <Column>Last</Column>
          </TableHeader>
          <TableBody>
            {sources.slice(0, 50).map((source) => (
              <Row key={source.source} id={source.source}>
                <Cell>
                  <Mono>{source.source}</Mono>
                </Cell>
                <Cell data-name="emails">{source.count}</Cell>
                <Cell data-name="authentic">
                  <span style={source.aligned === source.count ? {} : { color: color.bad, fontWeight: 600 }}>
                    {share(source.aligned, source.count)}
                  </span>
                </Cell>
                <Cell data-name="DKIM">{share(source.dkim, source.count)}</Cell>
                <Cell data-name="SPF">{share(source.spf, source.count)}</Cell>
                <Cell data-name="envelope from">{source.envelopeFrom ?? ''}</Cell>
                <Cell data-name="last">
                  <When at={source.last} />
                </Cell>
              </Row>
            ))}
          </TableBody>
        </Sheet>
      )}
      {total.unproven > 0 && (
        <Small as="p">
          {inNumber(total.unproven, 'email')} in reports that are not proven to be from the receiver that they name:{' '}
          {unproven.map((reporter) => `“${reporter}”`).join(', ')}. Anybody can write a report.
        </Small>
      )}
      {problems.length > 0 && (
        <Small as="p">
          {inNumber(problems.length, 'report')} could not be read, the last because: {problems[0]?.problem}
        </Small>
      )}
    </Box>
  );
}
