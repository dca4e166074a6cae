import type { ReactNode } from 'react';
import { Plain } from './list.js';
import { Unseen } from './unseen.js';

/** A column of a table: its title, and what is in it. The first names the row. */
export interface PlainColumn<T> {
  readonly title: string;
  readonly show: (row: T) => ReactNode;
  /** Shown by screen readers only: of a column of buttons. */
  readonly isQuiet?: boolean;
  /** Not broken into lines, where there is room: an address, an id. */
  readonly isWhole?: boolean;
}

/** A table whose rows hold what can be pressed. */
export function PlainTable<T>({
  label,
  columns,
  rows,
  id,
}: {
  readonly label: string;
  readonly columns: readonly PlainColumn<T>[];
  readonly rows: readonly T[];
  readonly id: (row: T) => string;
}) {
  const [first, ...others] = columns;
  return (
    <Plain aria-label={label}>
      <thead>
        <tr>
          {columns.map(({ title, isQuiet = false }) => (
            <th key={title} scope="col">
              {isQuiet ? <Unseen>{title}</Unseen> : title}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={id(row)}>
            <th scope="row" {...(first?.isWhole === true ? { 'data-whole': '' } : {})}>
              {first?.show(row)}
            </th>
            {others.map(({ title, show, isQuiet = false, isWhole = false }) => {
              const shown = show(row);
              // A title without a value has no meaning.
              const isNamed = !isQuiet && shown !== '';
              return (
                <td key={title} {...(isNamed ? { 'data-name': title } : {})} {...(isWhole ? { 'data-whole': '' } : {})}>
                  {shown}
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
    </Plain>
  );
}
