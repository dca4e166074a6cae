import type { InboundView } from '@verbalis/client';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Form, Label, TextArea, TextField } from 'react-aria-components';
import styled from 'styled-components';
import { Button, Fault } from '../parts/basics.js';
import { Toggle } from '../parts/switches.js';
import { useSession } from '../session.js';
import { color, font } from '../style.js';

const Box = styled(Form)`
  display: grid;
  gap: 12px;
  max-width: 760px;
  border-top: 1px solid ${color.hair};
  padding-top: 20px;
  textarea {
    width: 100%;
    min-height: 140px;
    font: 17px/1.5 ${font.serif};
    padding: 10px 12px;
    border: 1px solid ${color.soft};
    border-radius: 6px;
    background: ${color.raised};
    color: ${color.text};
    resize: vertical;
  }
  label {
    display: block;
    margin-bottom: 4px;
    color: ${color.soft};
    font-size: 14px;
  }
`;
const Row = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 12px 16px;
  align-items: center;
`;

/** Answers an email in its thread. */
export function AnswerForm({ email }: { readonly email: InboundView }) {
  const { client, space } = useSession();
  const queries = useQueryClient();
  const [text, setText] = useState('');
  const [quote, setQuote] = useState(true);
  const answer = useMutation({
    mutationFn: () => client.inbound.reply(email.id, { text, quote }, { idempotencyKey: `console-${email.id}-${email.answers.length}` }),
    onSuccess: async () => {
      setText('');
      await queries.invalidateQueries({ queryKey: ['inbound', space.name] });
    },
  });
  if (email.state !== 'read' || email.from.address === '') return null;
  return (
    <Box
      onSubmit={(event) => {
        event.preventDefault();
        if (text.trim() !== '') answer.mutate();
      }}
    >
      <TextField value={text} onChange={setText}>
        <Label>Answer to {email.from.address}</Label>
        <TextArea dir="auto" />
      </TextField>
      <Row>
        <Button type="submit" isDisabled={text.trim() === '' || answer.isPending}>
          Send the answer
        </Button>
        <Toggle on={quote} onChange={setQuote}>
          Quote what they wrote
        </Toggle>
        <span role="status">{answer.isSuccess && text === '' ? 'It is on its way.' : ''}</span>
      </Row>
      {answer.error !== null && <Fault error={answer.error} />}
    </Box>
  );
}
