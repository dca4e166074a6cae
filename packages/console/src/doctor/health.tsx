import type { DoctorFinding } from '@verbalis/client';
import { useQuery } from '@tanstack/react-query';
import styled from 'styled-components';
import { Button, Fault, StateText } from '../parts/basics.js';
import { Head } from '../parts/list.js';
import { SetUpTabs } from '../parts/set-up.js';
import { useSession } from '../session.js';
import { color } from '../style.js';

const LEVELS: Readonly<Record<DoctorFinding['level'], readonly [sign: string, word: string, hue: string]>> = {
  must: ['✕', 'Must be done', color.bad],
  should: ['!', 'Should be done', color.wait],
  good: ['✓', 'Good', color.good],
};
const ORDER = ['must', 'should', 'good'] as const;

const List = styled.ul`
  display: grid;
  gap: 16px;
  margin: 0 0 32px;
  padding: 0;
  list-style: none;
  max-width: 820px;
  li {
    display: grid;
    gap: 2px;
    border-bottom: 1px solid ${color.hair};
    padding-bottom: 12px;
  }
  p {
    margin: 0;
    color: ${color.soft};
    overflow-wrap: anywhere;
  }
`;

const Title = styled.h2`
  margin: 0 0 12px;
`;

/** What is missing or risky in how the service is set up. */
export function Health() {
  const { client } = useSession();
  const { data, error, refetch, isFetching } = useQuery({ queryKey: ['doctor'], queryFn: () => client.doctor.get() });
  const findings = data?.findings ?? [];
  return (
    <>
      <SetUpTabs />
      <Head>
        <h1>Health</h1>
        <Button $quiet onPress={() => void refetch()} isDisabled={isFetching}>
          Look again
        </Button>
      </Head>
      {error !== null && <Fault error={error} />}
      {ORDER.map((level) => {
        const these = findings.filter((finding) => finding.level === level);
        const [sign, word, hue] = LEVELS[level];
        if (these.length === 0) return null;
        return (
          <section key={level} aria-label={word}>
            <Title>
              <StateText $color={hue} data-sign={sign}>
                {word}
              </StateText>
            </Title>
            <List>
              {these.map(({ code, title, detail, hint }) => (
                <li key={`${code} ${title}`}>
                  <strong>{title}</strong>
                  {detail !== undefined && <p>{detail}</p>}
                  {hint !== undefined && <p>→ {hint}</p>}
                </li>
              ))}
            </List>
          </section>
        );
      })}
    </>
  );
}
