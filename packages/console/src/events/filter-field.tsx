import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useDeferredValue } from 'react';
import { Input, Label, TextField, ToggleButton, ToggleButtonGroup } from 'react-aria-components';
import styled from 'styled-components';
import { useSession } from '../session.js';
import { color, font } from '../style.js';
import { CAUSES } from '../words.js';
import { Fault } from '../parts/basics.js';
import { Small } from '../parts/form.js';

export const Kinds = styled(ToggleButtonGroup)`
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  button {
    font: 15px/20px ${font.sans};
    padding: 5px 10px;
    border: 1px solid ${color.hair};
    border-radius: 999px;
    background: transparent;
    color: ${color.text};
    cursor: pointer;
  }
  button[data-selected] {
    background: ${color.text};
    color: ${color.paper};
  }
`;

const Text = styled(TextField)`
  display: grid;
  gap: 4px;
  label {
    font-size: 14px;
    color: ${color.soft};
  }
  input {
    font: 15px/24px ${font.mono};
    padding: 6px 12px;
    border: 1px solid ${color.soft};
    border-radius: 6px;
    background: ${color.raised};
    color: ${color.text};
  }
`;

const KINDS = [
  'accepted',
  'delayed',
  'delivered',
  'failed',
  'complained',
  'withheld',
  'expired',
  'received',
  'audited',
  'topic-left',
  'topic-rejoined',
  'provider-trouble',
  'provider-recovered',
  'alert-firing',
  'alert-resolved',
  'domain-changed',
  'sender-confirmed',
  'bulk-send-ended',
  'schedule-failed',
  'signal-refused',
  'unaligned-source',
] as const;

/** Builds a filter by choosing, and says how much it lets through. */
export function FilterField({ value, onChange }: { readonly value: string; readonly onChange: (value: string) => void }) {
  const { client, space } = useSession();
  const settled = useDeferredValue(value);
  const trial = useQuery({
    queryKey: ['filter', space.name, settled],
    queryFn: () => client.events.tryFilter({ filter: settled }),
    placeholderData: keepPreviousData,
  });
  const chosen = (name: string): string[] =>
    [...(new RegExp(`\\b${name} in \\[([^\\]]*)\\]`).exec(value)?.[1] ?? '').matchAll(/[\w-]+/g)].map(([one]) => one);
  const put = (name: string, values: readonly string[]): void => {
    const bare = value.replace(new RegExp(`(?: and )?\\b${name} in \\[[^\\]]*\\](?: and )?`), (found) =>
      found.startsWith(' and ') && found.endsWith(' and ') ? ' and ' : '',
    );
    const part = values.length === 0 ? '' : `${name} in [${values.join(', ')}]`;
    onChange([part, bare.trim()].filter((text) => text !== '').join(' and '));
  };
  return (
    <>
      <div>
        <Small id="of-kinds">What happened (all, when none is chosen)</Small>
        <Kinds
          aria-labelledby="of-kinds"
          selectionMode="multiple"
          selectedKeys={chosen('type')}
          onSelectionChange={(keys) => put('type', [...keys].map(String))}
        >
          {KINDS.map((kind) => (
            <ToggleButton key={kind} id={kind}>
              {kind}
            </ToggleButton>
          ))}
        </Kinds>
      </div>
      <div>
        <Small id="of-causes">Because of</Small>
        <Kinds
          aria-labelledby="of-causes"
          selectionMode="multiple"
          selectedKeys={chosen('cause')}
          onSelectionChange={(keys) => put('cause', [...keys].map(String))}
        >
          {CAUSES.map((cause) => (
            <ToggleButton key={cause} id={cause}>
              {cause}
            </ToggleButton>
          ))}
        </Kinds>
      </div>
      <Text value={value} onChange={onChange}>
        <Label>Filter</Label>
        <Input placeholder='type in [failed, complained] and topic = "bookings"' />
      </Text>
      {trial.error !== null ? (
        <Fault error={trial.error} />
      ) : (
        <Small role="status">
          {trial.data === undefined ? '' : `It lets through ${trial.data.passed} of the ${trial.data.looked} events of the last day.`}
        </Small>
      )}
    </>
  );
}
