import type { ReactNode } from 'react';
import styled from 'styled-components';
import { color } from '../style.js';

const List = styled.dl`
  display: grid;
  grid-template-columns: minmax(96px, max-content) minmax(0, 1fr);
  gap: 6px 20px;
  margin: 0;
  dt {
    color: ${color.soft};
  }
  dd {
    margin: 0;
    overflow-wrap: anywhere;
  }
`;

/** What is known of one thing, each under its name. What is undefined is left out. */
export function Facts({ facts }: { readonly facts: readonly (readonly [name: string, value: ReactNode])[] }) {
  return (
    <List>
      {facts.map(([name, value]) =>
        value === undefined ? null : (
          <div key={name} style={{ display: 'contents' }}>
            <dt>{name}</dt>
            <dd>{value}</dd>
          </div>
        ),
      )}
    </List>
  );
}
