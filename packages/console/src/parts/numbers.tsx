import styled from 'styled-components';
import { color, font } from '../style.js';
import { Sheet } from './list.js';

/** A few numbers side by side. */
export const Tiles = styled.dl`
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(150px, 1fr));
  gap: 16px 24px;
  margin: 0 0 24px;
  div {
    border-top: 1px solid ${color.text};
    padding-top: 8px;
  }
  dt {
    font-size: 14px;
    color: ${color.soft};
  }
  dd {
    margin: 0;
    font: 560 28px/1.2 ${font.serif};
  }
  small {
    display: block;
    font: 14px/1.4 ${font.sans};
    color: ${color.soft};
  }
`;

/** A table whose columns are numbers, but for the first. */
export const Numbers = styled(Sheet)`
  td:not(:first-child),
  th:not(:first-child) {
    text-align: right;
  }
  /* Numbers are compared in columns, on a phone too: there the table is moved sideways. */
  @media (max-width: 720px) {
    thead {
      position: static;
      clip-path: none;
    }
    tr {
      display: table-row;
    }
    tbody tr {
      padding: 0;
    }
    td {
      display: table-cell;
      padding: 8px 16px 8px 0;
    }
  }
`;

export const Sideways = styled.div`
  overflow-x: auto;
  max-width: 100%;
`;

export const Part = styled.section`
  margin-top: 40px;
  display: grid;
  gap: 16px;
`;

/** A share in per cent. */
export function rate(n: number, of: number): string {
  return of === 0 ? '–' : `${((100 * n) / of).toFixed(1)}%`;
}

/** One number against that of the time before. */
export function Tile({ title, value, before }: { readonly title: string; readonly value: string; readonly before: string }) {
  return (
    <div>
      <dt>{title}</dt>
      <dd>
        {value}
        <small>before: {before}</small>
      </dd>
    </div>
  );
}
