import type { CapturedMail, SimulatedOutcome } from '@verbalis/client';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import styled from 'styled-components';
import { Button, Fault } from '../parts/basics.js';
import { Choose } from '../parts/choose.js';
import { useSession } from '../session.js';
import { color } from '../style.js';
import { CAUSES } from '../words.js';

export const Soft = styled.span`
  color: ${color.soft};
  font-size: 14px;
`;

const OUTCOMES: readonly (readonly [SimulatedOutcome, string])[] = [
  ['delivered', 'delivered'],
  ['delayed', 'delayed'],
  ['bounced', 'bounced'],
  ['complained', 'complained about'],
  ['image-loaded', 'image-loaded'],
  ['link-followed', 'link-followed'],
];
/** Simulates an outcome for the email, to try how the app handles it. */
export function Simulate({ mail }: { readonly mail: CapturedMail }) {
  const { client } = useSession();
  const [outcome, setOutcome] = useState<SimulatedOutcome>('bounced');
  const [cause, setCause] = useState<(typeof CAUSES)[number]>('mailbox-full');
  const [link, setLink] = useState(mail.links[0]?.href ?? '');
  const run = useMutation({
    mutationFn: () =>
      client.captured.simulate(mail, outcome, {
        ...(outcome === 'bounced' || outcome === 'delayed' ? { cause } : {}),
        ...(outcome === 'link-followed' && link !== '' ? { link } : {}),
      }),
  });
  return (
    <section aria-label="Simulate">
      <h2>Outcome</h2>
      {mail.messageId === undefined ? (
        <Soft>A test: there is no message for it.</Soft>
      ) : (
        <ul>
          <li>
            <Choose label="It is" value={outcome} options={OUTCOMES} onChange={(value) => setOutcome(value as SimulatedOutcome)} />
          </li>
          {(outcome === 'bounced' || outcome === 'delayed') && (
            <li>
              <Choose
                label="Because of"
                value={cause}
                options={CAUSES.map((name) => [name, name])}
                onChange={(value) => setCause(value as (typeof CAUSES)[number])}
              />
            </li>
          )}
          {outcome === 'link-followed' && mail.links.length > 0 && (
            <li>
              <Choose
                label="The link"
                value={link}
                options={mail.links.map(({ href, text }) => [href, text === '' ? href : text])}
                onChange={setLink}
              />
            </li>
          )}
          <li>
            <Button $quiet onPress={() => run.mutate()}>
              Simulate
            </Button>
          </li>
          {run.error !== null && (
            <li>
              <Fault error={run.error} />
            </li>
          )}
          {run.isSuccess && (
            <li>
              <p role="status">
                Simulated: <Link to={`/track/messages/${mail.messageId}`}>its timeline</Link>
              </p>
            </li>
          )}
        </ul>
      )}
    </section>
  );
}
