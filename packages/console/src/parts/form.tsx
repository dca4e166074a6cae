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
    color: ${color.ink};
  }
`;

/** A line to write in, with its name above. */
export function Field({ name, label, required = false }: { readonly name: string; readonly label: string; readonly required?: boolean }) {
  return (
    <Box name={name} isRequired={required}>
      <Label>{label}</Label>
      <Input />
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
