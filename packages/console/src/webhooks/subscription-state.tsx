import type { NotificationView, Subscription } from '@verbalis/client';
import styled from 'styled-components';
import { Small } from '../parts/form.js';
import { color } from '../style.js';

const Word = styled.span<{ readonly $color: string }>`
  color: ${({ $color }) => $color};
  font-weight: 600;
  white-space: nowrap;
`;

type Look = readonly [sign: string, word: string, hue: string];

const LOOKS: Readonly<Record<Subscription['state'], Look>> = {
  active: ['●', 'active', color.good],
  paused: ['–', 'paused', color.wait],
  gone: ['✕', 'gone', color.bad],
  unproven: ['?', 'has not said yes', color.bad],
};

export function SubscriptionState({ subscription }: { readonly subscription: Subscription }) {
  const { state, restingUntil } = subscription;
  const isResting = state === 'active' && restingUntil !== undefined;
  const [sign, word, hue] = isResting ? ['~', 'fails; left alone for a while', color.wait] : LOOKS[state];
  return (
    <Word $color={hue}>
      {sign} {word}
    </Word>
  );
}

const OUTCOMES: Readonly<Record<NotificationView['state'], readonly [sign: string, hue: string]>> = {
  delivered: ['●', color.good],
  waiting: ['~', color.wait],
  'dead-letter': ['✕', color.bad],
};

/** The result of a notification. */
export function Outcome({ notification }: { readonly notification: NotificationView }) {
  const { state, problem, status, milliseconds } = notification;
  const [sign, hue] = OUTCOMES[state];
  return (
    <>
      <Word $color={hue}>
        {sign} {state}
      </Word>{' '}
      <Small>{problem ?? `${status ?? ''}${milliseconds === undefined ? '' : `, ${milliseconds} ms`}`}</Small>
    </>
  );
}
