import type { SourceProblem } from '@verbalis/client';
import styled from 'styled-components';
import { color, font } from '../style.js';

export const SEVERITIES = {
  error: { sign: '✕', word: 'error', color: color.bad },
  warning: { sign: '▲', word: 'warning', color: color.wait },
  advice: { sign: '○', word: 'advice', color: color.mark },
} as const;

const List = styled.ul`
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 2px;
  li {
    border-bottom: 1px solid ${color.hair};
    padding: 8px 0;
  }
  p {
    color: ${color.soft};
    font-size: 15px;
  }
`;

const Place = styled.button`
  font: 13px/20px ${font.mono};
  color: ${color.accent};
  background: none;
  border: 0;
  padding: 0;
  cursor: pointer;
  text-align: left;
  text-decoration: underline;
  text-underline-offset: 3px;
  overflow-wrap: anywhere;
`;

const Kind = styled.span<{ readonly $color: string }>`
  color: ${({ $color }) => $color};
  font-weight: 650;
  white-space: nowrap;
`;

/** What is wrong or doubtful, each with a way to its line. */
export function Problems({
  problems,
  onJump,
}: {
  readonly problems: readonly SourceProblem[];
  readonly onJump?: (problem: SourceProblem) => void;
}) {
  return (
    <List aria-label="Problems and advice">
      {problems.map((one, i) => {
        const { sign, word, color: ink } = SEVERITIES[one.severity];
        const place = `${one.file}:${one.line}:${one.column}`;
        return (
          <li key={`${place}${one.code}${i}`}>
            <Kind $color={ink}>
              {sign} {word}
            </Kind>{' '}
            {one.message}
            {one.hint !== undefined && <p>{one.hint}</p>}
            {onJump === undefined ? (
              <p>{place}</p>
            ) : (
              <Place type="button" onClick={() => onJump(one)}>
                {place}
              </Place>
            )}
          </li>
        );
      })}
    </List>
  );
}

/** How many of each kind, in words. */
export function ProblemCount({
  errors,
  warnings,
  advice,
}: {
  readonly errors: number;
  readonly warnings: number;
  readonly advice: number;
}) {
  const counts = [
    ['error', errors],
    ['warning', warnings],
    ['advice', advice],
  ] as const;
  const found = counts.filter(([, n]) => n > 0);
  if (found.length === 0) return <Kind $color={color.good}>✓ fine</Kind>;
  return (
    <>
      {found.map(([severity, n]) => {
        const { sign, word, color: ink } = SEVERITIES[severity];
        return (
          <Kind key={severity} $color={ink}>
            {sign} {n} {severity === 'advice' ? 'of advice' : n === 1 ? word : `${word}s`}{' '}
          </Kind>
        );
      })}
    </>
  );
}
