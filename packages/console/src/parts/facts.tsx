import { Fragment, type ReactNode } from 'react';
import styled from 'styled-components';
import { color, wide } from '../style.js';

const List = styled.dl<{ readonly $isPaired: boolean }>`
  display: grid;
  grid-template-columns: minmax(96px, max-content) minmax(0, 1fr);
  gap: 6px 20px;
  margin: 0 0 24px;
  :is(h1, h2) + & {
    margin-top: 12px;
  }
  dt {
    color: ${color.soft};
  }
  dd {
    margin: 0;
    overflow-wrap: anywhere;
  }
  ${wide} {
    grid-template-columns: ${({ $isPaired }) => ($isPaired ? 'repeat(2, max-content minmax(0, 1fr))' : undefined)};
  }
`;

interface FactsProps {
  readonly facts: readonly (readonly [name: string, value: ReactNode])[];
  /** Two beside each other, where there is room. */
  readonly isPaired?: boolean;
}

/** What is known of one thing, each under its name. What is undefined is left out. */
export function Facts({ facts, isPaired = false }: FactsProps) {
  return (
    <List $isPaired={isPaired}>
      {facts.map(([name, value]) =>
        value === undefined ? null : (
          <Fragment key={name}>
            <dt>{name}</dt>
            <dd>{value}</dd>
          </Fragment>
        ),
      )}
    </List>
  );
}
