import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import styled from 'styled-components';
import { color } from '../style.js';
import { Button, Fault } from './basics.js';

const Place = styled.div`
  display: flex;
  flex-flow: row-reverse wrap;
  justify-content: flex-start;
  align-items: baseline;
  gap: 4px 12px;
`;

const Said = styled.span`
  color: ${color.soft};
  font-size: 15px;
`;

/** A column of a file: its name, and what is in it. */
export type CsvColumn<T> = readonly [name: string, value: (row: T) => string | number | boolean | undefined];

/** What no table program should be asked to hold. */
const MOST = 100_000;

function save(name: string, text: string): void {
  const url = URL.createObjectURL(new Blob([text], { type: 'text/csv;charset=utf-8' }));
  const link = document.createElement('a');
  link.href = url;
  link.download = name;
  link.click();
  URL.revokeObjectURL(url);
}

/** Saves a table as a file (RFC 4180): all its rows, as it is filtered, and not only those that are shown. */
export function SaveCsv<T>({
  name,
  columns,
  all,
}: {
  /** Of the file, without its ending. */
  readonly name: string;
  readonly columns: readonly CsvColumn<T>[];
  readonly all: () => AsyncIterable<readonly T[]> | Iterable<readonly T[]>;
}) {
  const [count, setCount] = useState(0);
  const saving = useMutation({
    mutationFn: async () => {
      setCount(0);
      const { stringify } = await import('csv-stringify/browser/esm/sync');
      const lines: (string | number | boolean | undefined)[][] = [];
      for await (const rows of all()) {
        lines.push(...rows.map((row) => columns.map(([, value]) => value(row))));
        setCount(lines.length);
        if (lines.length >= MOST) break;
      }
      // What a table program would take for a formula is text.
      save(`${name}.csv`, stringify([columns.map(([column]) => column), ...lines.slice(0, MOST)], { escape_formulas: true }));
      return lines.length;
    },
  });
  return (
    <Place data-save>
      <Button $quiet isDisabled={saving.isPending} onPress={() => saving.mutate()}>
        Save as CSV
      </Button>
      <Said role="status">
        {saving.isPending
          ? `${count} rows so far …`
          : saving.data === undefined
            ? ''
            : saving.data >= MOST
              ? `The newest ${MOST} rows.`
              : ''}
      </Said>
      {saving.error !== null && <Fault error={saving.error} />}
    </Place>
  );
}
