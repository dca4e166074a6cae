import { ToggleButton, ToggleButtonGroup } from 'react-aria-components';
import styled from 'styled-components';
import { color, font } from '../style.js';

const Group = styled(ToggleButtonGroup)`
  display: inline-flex;
  flex-wrap: wrap;
  border: 1px solid ${color.hair};
  border-radius: 6px;
  overflow: hidden;
  button {
    font: 15px/20px ${font.sans};
    padding: 5px 10px;
    border: 0;
    background: transparent;
    color: ${color.text};
    cursor: pointer;
  }
  button + button {
    border-left: 1px solid ${color.hair};
  }
  button[data-selected] {
    background: ${color.text};
    color: ${color.paper};
  }
  button[data-focus-visible] {
    outline: 2px solid ${color.accent};
    outline-offset: -3px;
  }
`;

/** One of a few: the words stand on it. */
export function OneOf<T extends string>({
  label,
  value,
  options,
  onChange,
}: {
  readonly label: string;
  readonly value: T;
  readonly options: readonly (readonly [T, string])[];
  readonly onChange: (value: T) => void;
}) {
  return (
    <Group
      aria-label={label}
      selectionMode="single"
      disallowEmptySelection
      selectedKeys={[value]}
      onSelectionChange={(keys) => onChange((options.find(([id]) => keys.has(id)) ?? [value])[0])}
    >
      {options.map(([id, words]) => (
        <ToggleButton key={id} id={id}>
          {words}
        </ToggleButton>
      ))}
    </Group>
  );
}

const Single = styled(ToggleButton)`
  font: 15px/20px ${font.sans};
  padding: 5px 10px;
  border: 1px solid ${color.hair};
  border-radius: 6px;
  background: transparent;
  color: ${color.text};
  cursor: pointer;
  &[data-selected] {
    background: ${color.text};
    border-color: ${color.text};
    color: ${color.paper};
  }
  &[data-focus-visible] {
    outline: 2px solid ${color.accent};
    outline-offset: 2px;
  }
`;

/** On or off. */
export function Toggle({
  on,
  onChange,
  children,
}: {
  readonly on: boolean;
  readonly onChange: (on: boolean) => void;
  readonly children: string;
}) {
  return (
    <Single isSelected={on} onChange={onChange}>
      {children}
    </Single>
  );
}
