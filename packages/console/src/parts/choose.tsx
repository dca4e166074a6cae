import { Button, Label, ListBox, ListBoxItem, Popover, Select, SelectValue } from 'react-aria-components';
import styled from 'styled-components';
import { color, font } from '../style.js';

const Box = styled(Select)`
  display: inline-grid;
  gap: 4px;
  .react-aria-Label {
    font-size: 14px;
    color: ${color.soft};
  }
`;

const Open = styled(Button)`
  display: inline-flex;
  gap: 8px;
  align-items: baseline;
  justify-content: space-between;
  min-width: 96px;
  max-width: 320px;
  font: 15px/24px ${font.sans};
  color: ${color.text};
  background: ${color.raised};
  padding: 6px 10px;
  border: 1px solid ${color.soft};
  border-radius: 6px;
  cursor: pointer;
  > span {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  &[data-focus-visible] {
    outline: 2px solid ${color.accent};
    outline-offset: 2px;
  }
`;

const Choices = styled(Popover)`
  background: ${color.raised};
  border: 1px solid ${color.hair};
  border-radius: 6px;
  padding: 4px;
  min-width: var(--trigger-width);
  max-height: 360px;
  overflow: auto;
  box-shadow: 0 8px 24px rgb(0 0 0 / 0.16);
`;

const Choice = styled(ListBoxItem)`
  padding: 6px 8px;
  border-radius: 4px;
  cursor: pointer;
  color: ${color.text};
  font: 15px/20px ${font.sans};
  &[data-focused] {
    background: ${color.wash};
    outline: none;
  }
  &[data-selected] {
    font-weight: 650;
    color: ${color.accent};
  }
`;

/** One of many, in a list that opens. */
export function Choose({
  label,
  value,
  options,
  onChange,
}: {
  readonly label: string;
  readonly value: string;
  readonly options: readonly (readonly [id: string, words: string])[];
  readonly onChange: (value: string) => void;
}) {
  return (
    <Box value={value} onChange={(key) => onChange(String(key))} placeholder="none">
      <Label>{label}</Label>
      <Open>
        <SelectValue />
        <span aria-hidden="true">▾</span>
      </Open>
      <Choices>
        <ListBox items={options.map(([id, words]) => ({ id, words }))}>{({ words }) => <Choice textValue={words}>{words}</Choice>}</ListBox>
      </Choices>
    </Box>
  );
}
