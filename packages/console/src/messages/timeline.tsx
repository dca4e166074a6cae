import type { ConsentView, Delivery } from '@verbalis/client';
import { Link } from 'react-router';
import styled from 'styled-components';
import { color, font } from '../style.js';
import { clockTime, CONSENT_WAYS, dayTime, exactTime, REPORTS, type Words } from '../words.js';

interface Step {
  readonly at: string;
  readonly sign: string;
  readonly hue: string;
  readonly title: string;
  readonly evidence: string | undefined;
  readonly returnId?: string | undefined;
}

const OUTCOMES: Readonly<Record<NonNullable<Delivery['attempts'][number]['outcome']>, Words>> = {
  accepted: ['○', color.good, 'accepted it'],
  refused: ['✕', color.bad, 'rejected it permanently'],
  deferred: ['~', color.wait, 'deferred it'],
  rejected: ['!', color.bad, 'rejected the request; the recipient is not at fault'],
  trouble: ['~', color.wait, 'could not be used'],
  uncertain: ['?', color.wait, 'may have accepted it: the connection was lost before the answer'],
};

const List = styled.ol`
  list-style: none;
  margin: 20px 0 0;
  padding: 0;
`;

const Item = styled.li`
  display: grid;
  grid-template-columns: 72px 24px minmax(0, 1fr);
  gap: 0 8px;
  padding-bottom: 16px;
  position: relative;
  &:not(:last-child)::before {
    content: '';
    position: absolute;
    left: 91px;
    top: 22px;
    bottom: -2px;
    border-left: 1px solid ${color.hair};
  }
  time {
    color: ${color.soft};
    text-align: right;
  }
`;

const Sign = styled.span<{ readonly $hue: string }>`
  font: 600 16px/24px ${font.mono};
  text-align: center;
  color: ${({ $hue }) => $hue};
`;

/** Where the day is another than before. */
const Day = styled.span`
  display: block;
  font-size: 14px;
`;

const Evidence = styled.p`
  font: 14px/1.5 ${font.mono};
  color: ${color.soft};
  overflow-wrap: anywhere;
`;

const WHO: Readonly<Record<NonNullable<Delivery['facts'][number]['by']>, string>> = {
  person: 'A person',
  machine: 'A machine',
  unknown: 'Someone',
};

/** Who followed which link, or loaded the picture, and how that is known. */
function hitStep({ at, kind, by = 'unknown', reason, link }: Delivery['facts'][number]): Step {
  const [sign, hue] = REPORTS[kind];
  const words = link === undefined || link.label === '' ? 'a link' : `the link “${link.label}”`;
  return {
    at,
    sign,
    hue: by === 'person' ? hue : color.soft,
    title: `${WHO[by]} ${kind === 'link-followed' ? `followed ${words}` : 'loaded the image'}`,
    evidence: [reason, link?.url].filter((text) => text !== undefined).join(' '),
  };
}

function consentStep({ at, kind, topic, how, until }: ConsentView['history'][number]): Step {
  const left = kind === 'left';
  return {
    at,
    sign: left ? '–' : '+',
    hue: color.mark,
    title: `The recipient ${left ? 'left' : 'joined'} the topic “${topic}”${until === undefined ? '' : ` until ${until.slice(0, 10)}`} ${CONSENT_WAYS[how]}`,
    evidence: undefined,
  };
}

function stepsOf(
  delivery: Delivery,
  createdAt: string,
  { repairs, consents }: { readonly repairs: readonly string[]; readonly consents: ConsentView['history'] },
): Step[] {
  const steps: Step[] = [{ at: createdAt, sign: '→', hue: color.mark, title: 'Accepted from the app', evidence: undefined }];
  if (repairs.length > 0)
    steps.push({
      at: createdAt,
      sign: '≈',
      hue: color.mark,
      title: 'Repaired, so that no server on the way changes what is signed',
      evidence: `${repairs.join('; ')}.`,
    });
  for (const attempt of delivery.attempts) {
    const [sign, hue, words] = attempt.outcome === undefined ? (['…', color.mark, 'is being tried'] as const) : OUTCOMES[attempt.outcome];
    steps.push({
      at: attempt.endedAt ?? attempt.startedAt,
      sign,
      hue,
      title: `Attempt ${attempt.number}: ${attempt.provider} ${words}`,
      evidence: attempt.diagnostic,
    });
  }
  for (const fact of delivery.facts) {
    if (fact.source === 'attempt') continue;
    if (fact.by !== undefined) {
      steps.push(hitStep(fact));
      continue;
    }
    const [sign, hue, title] = REPORTS[fact.kind];
    steps.push({ at: fact.at, sign, hue, title, evidence: fact.diagnostic, returnId: fact.returnId });
  }
  for (const consent of consents) if (consent.deliveryId === delivery.id) steps.push(consentStep(consent));
  steps.sort((a, b) => a.at.localeCompare(b.at));
  if (delivery.mayHaveBeenSent === true && steps.at(-1)?.title.includes('accepted it') !== true)
    steps.push({
      at: steps.at(-1)?.at ?? createdAt,
      sign: '?',
      hue: color.wait,
      title: 'It may have been sent',
      evidence: 'The answer to an attempt was lost after all of the email may have left.',
    });
  // What is held, or is being handed over, has no next attempt.
  if (delivery.nextAttemptAt !== undefined || delivery.waitsFor !== undefined)
    steps.push({
      at: delivery.nextAttemptAt ?? steps.at(-1)?.at ?? createdAt,
      sign: '…',
      hue: color.mark,
      title: delivery.waitsFor === undefined ? 'Next attempt' : delivery.nextAttemptAt === undefined ? 'It waits' : 'Due; it waits',
      evidence: delivery.waitsFor,
    });
  return steps;
}

/** A delivery's timeline: attempts and what came back, in order, with what the other side said. */
export function Timeline({
  delivery,
  createdAt,
  repairs = [],
  consents = [],
}: {
  readonly delivery: Delivery;
  readonly createdAt: string;
  /** What was changed of an email that came in as a whole. */
  readonly repairs?: readonly string[] | undefined;
  /** How the recipient left topics and joined them. */
  readonly consents?: ConsentView['history'] | undefined;
}) {
  return (
    <List aria-label="Timeline">
      {stepsOf(delivery, createdAt, { repairs, consents }).map((step, i, steps) => (
        <Item key={i}>
          <time dateTime={step.at} title={exactTime(step.at)}>
            {dayTime(step.at) !== dayTime(steps[i - 1]?.at ?? createdAt) && <Day>{dayTime(step.at)}</Day>}
            {clockTime(step.at)}
          </time>
          <Sign $hue={step.hue} aria-hidden="true">
            {step.sign}
          </Sign>
          <div>
            {step.title}
            {step.returnId !== undefined && (
              <>
                {' '}
                <Link to={`/track/returns/${step.returnId}`}>what came back</Link>
              </>
            )}
            {step.evidence !== undefined && <Evidence>{step.evidence}</Evidence>}
          </div>
        </Item>
      ))}
    </List>
  );
}
