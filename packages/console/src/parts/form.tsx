import { FieldError, Input, Label, TextField } from 'react-aria-components';
import styled from 'styled-components';
import { color, font } from '../style.js';

const Box = styled(TextField)`
  display: grid;
  gap: 4px;
  flex: 1 1 220px;
  label {
    font-size: 14px;
    color: ${color.soft};
  }
  input {
    font: 16px/24px ${font.sans};
    padding: 6px 12px;
    border: 1px solid ${color.soft};
    border-radius: 6px;
    background: ${color.raised};
    color: ${color.text};
  }
`;

/** A line to write in, with its name above. */
export function Field({
  name,
  label,
  required = false,
  value = '',
  type = 'text',
}: {
  readonly name: string;
  readonly label: string;
  readonly required?: boolean;
  /** What is in it at first. */
  readonly value?: string;
  readonly type?: 'text' | 'number';
}) {
  return (
    <Box name={name} isRequired={required} defaultValue={value} type={type}>
      <Label>{label}</Label>
      <Input {...(type === 'number' ? { min: 0, step: 'any' } : {})} />
      <FieldError />
    </Box>
  );
}

/** Fields beside each other with what is done with them at the end. */
export const Inline = styled.form`
  display: flex;
  flex-wrap: wrap;
  gap: 12px 16px;
  align-items: end;
  max-width: 960px;
`;

/** Words beside what they are about. */
export const Small = styled.span`
  font-size: 14px;
  color: ${color.soft};
`;

/** What is filled in below a list. */
export const Section = styled.form`
  display: grid;
  gap: 16px;
  max-width: 760px;
  border-top: 1px solid ${color.hair};
  margin-top: 40px;
  padding-top: 20px;
`;
