import type { SourceProblem } from '@verbalis/client';
import styled from 'styled-components';
import { color, font } from '../style.js';

const SEVERITIES = {
  error: { sign: '✕', word: 'error', color: color.bad },
  warning: { sign: '▲', word: 'warning', color: color.wait },
  suggestion: { sign: '○', word: 'suggestion', color: color.mark },
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
    <List aria-label="Problems and suggestions">
      {problems.map((problem, i) => {
        const { sign, word, color: hue } = SEVERITIES[problem.severity];
        const place = `${problem.file}:${problem.line}:${problem.column}`;
        return (
          <li key={`${place}${problem.code}${i}`}>
            <Kind $color={hue}>
              {sign} {word}
            </Kind>{' '}
            {problem.message}
            {problem.hint !== undefined && <p>{problem.hint}</p>}
            {onJump === undefined ? (
              <p>{place}</p>
            ) : (
              <Place type="button" onClick={() => onJump(problem)}>
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
  suggestions,
}: {
  readonly errors: number;
  readonly warnings: number;
  readonly suggestions: number;
}) {
  const counts = [
    ['error', errors],
    ['warning', warnings],
    ['suggestion', suggestions],
  ] as const;
  const found = counts.filter(([, n]) => n > 0);
  if (found.length === 0) return <Kind $color={color.good}>✓ fine</Kind>;
  return (
    <>
      {found.map(([severity, n]) => {
        const { sign, word, color: hue } = SEVERITIES[severity];
        return (
          <Kind key={severity} $color={hue}>
            {sign} {n} {n === 1 ? word : `${word}s`}{' '}
          </Kind>
        );
      })}
    </>
  );
}
