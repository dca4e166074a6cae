import type { RenderRequest } from '@verbalis/client';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import styled from 'styled-components';
import { Button, Fault } from '../parts/basics.js';
import { Choose } from '../parts/choose.js';
import { Field, Inline } from '../parts/form.js';
import { useSession } from '../session.js';
import { color } from '../style.js';

const Box = styled.section`
  border-top: 1px solid ${color.hair};
  margin-top: 20px;
  padding-top: 16px;
  display: grid;
  gap: 8px;
`;

/** Sends the email that is shown: to captured mail, or through a provider. */
export function SendTest({
  name,
  wanted,
  ways,
}: {
  readonly name: string;
  readonly wanted: RenderRequest;
  readonly ways: readonly string[];
}) {
  const { client } = useSession();
  const [by, setBy] = useState(ways[0] ?? '');
  const send = useMutation({ mutationFn: (to: string) => client.templates.test(name, { ...wanted, to, by }) });
  return (
    <Box aria-label="Send a test">
      <h2>Send a test</h2>
      <Inline
        onSubmit={(event) => {
          event.preventDefault();
          const to = new FormData(event.currentTarget).get('to');
          send.mutate(typeof to === 'string' ? to.trim() : '');
        }}
      >
        <Field name="to" label="To" required />
        <Choose
          label="By"
          value={by}
          options={ways.map((way) => [way, way === 'captured' ? 'captured mail (sends nothing)' : way])}
          onChange={setBy}
        />
        <Button type="submit">Send</Button>
      </Inline>
      {send.error !== null && <Fault error={send.error} />}
      {send.data !== undefined && (
        <p role="status">
          {send.data.detail} {send.data.capturedId !== undefined && <Link to={`/try/${send.data.capturedId}`}>Look at it</Link>}
        </p>
      )}
    </Box>
  );
}
