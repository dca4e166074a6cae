import type { Message } from '@verbalis/client';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import styled from 'styled-components';
import { Button, Fault } from '../parts/basics.js';
import { Confirm } from '../parts/confirm.js';
import { Inline, Small } from '../parts/form.js';
import { useSession } from '../session.js';
import { color, font } from '../style.js';
import { exactTime, inNumber } from '../words.js';

const Place = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 8px 16px;
  align-items: end;
  margin-bottom: 20px;
  label {
    display: grid;
    gap: 4px;
    font-size: 14px;
    color: ${color.soft};
  }
  input {
    font: 16px/24px ${font.sans};
    padding: 6px 12px;
    color: ${color.text};
    background: ${color.raised};
    border: 1px solid ${color.soft};
    border-radius: 6px;
  }
`;

const WAITING = new Set(['queued', 'delayed']);

/** What can still be done about a message: cancel it, send it at another time, lift a suppression. */
export function MessageActions({ message }: { readonly message: Message }) {
  const { client, space } = useSession();
  const queries = useQueryClient();
  const [isOpen, setIsOpen] = useState(false);
  const refresh = () => queries.invalidateQueries({ queryKey: ['message', space.name, message.id] });
  const cancel = useMutation({ mutationFn: () => client.messages.cancel(message.id), onSuccess: refresh });
  const reschedule = useMutation({
    mutationFn: (at: string) => client.messages.reschedule(message.id, { notBefore: at }),
    onSuccess: async () => {
      setIsOpen(false);
      await refresh();
    },
  });
  const waiting = message.deliveries.filter(({ state, attempts }) => WAITING.has(state) && attempts.length === 0);
  const withheld = message.deliveries.filter(({ state, cause }) => state === 'withheld' && cause !== 'rate');
  const fault = cancel.error ?? reschedule.error;
  const done = cancel.data ?? reschedule.data;
  if (waiting.length === 0 && withheld.length === 0 && done === undefined) return null;
  return (
    <Place>
      {waiting.length > 0 && (
        <>
          <Confirm
            label="Cancel"
            name="Cancel the message"
            title="Cancel this message?"
            words={`${inNumber(waiting.length, 'recipient')} will not get it. What was sent already is not taken back.`}
            action="Cancel it"
            onConfirm={() => cancel.mutate()}
          />
          <Button $quiet aria-expanded={isOpen} onPress={() => setIsOpen(!isOpen)}>
            Send at another time
          </Button>
        </>
      )}
      {withheld.map(({ id, address }) => (
        <Link key={id} to={`/track/suppressions?${new URLSearchParams({ find: address }).toString()}`}>
          See why {address} gets no mail
        </Link>
      ))}
      {isOpen && (
        <Inline
          aria-label="Another time"
          onSubmit={(event) => {
            event.preventDefault();
            const at = new FormData(event.currentTarget).get('at');
            if (typeof at === 'string' && at !== '') reschedule.mutate(new Date(at).toISOString());
          }}
        >
          <label>
            Not before (your time)
            <input type="datetime-local" name="at" required />
          </label>
          <Button type="submit" isDisabled={reschedule.isPending}>
            Set
          </Button>
        </Inline>
      )}
      {done !== undefined && (
        <Small role="status">
          {cancel.data !== undefined
            ? `Canceled for ${inNumber(done.changed.length, 'recipient')}.`
            : `Moved for ${inNumber(done.changed.length, 'recipient')}${reschedule.variables === undefined ? '' : `, to ${exactTime(reschedule.variables)}`}.`}
          {done.late.length > 0 && ` For ${inNumber(done.late.length, 'recipient')} it came too late.`}
        </Small>
      )}
      {fault !== null && <Fault error={fault} />}
    </Place>
  );
}
