import type { Delivery } from '@verbalis/client';
import { Link } from 'react-router';
import styled from 'styled-components';
import { color, font } from '../style.js';
import { clockTime, exactTime } from '../words.js';

interface Step {
  readonly at: string;
  readonly sign: string;
  readonly ink: string;
  readonly title: string;
  readonly evidence: string | undefined;
  readonly returnId?: string | undefined;
}

const OUTCOMES = {
  accepted: ['○', color.good, 'took it'],
  refused: ['✕', color.bad, 'refused it for good'],
  deferred: ['~', color.wait, 'put it off'],
  trouble: ['~', color.wait, 'could not be used'],
  uncertain: ['?', color.wait, 'may have taken it: the connection was lost before the answer'],
} as const;

const REPORTS: Readonly<Record<string, readonly [string, string, string]>> = {
  delivered: ['●', color.good, 'A report came back: it is in the mailbox'],
  failed: ['✕', color.bad, 'A report came back: it could not be delivered'],
  delayed: ['~', color.wait, 'A report came back: it is still being tried'],
  relayed: ['○', color.good, 'A report came back: it was passed on'],
  complained: ['!', color.bad, 'A complaint came back: the mail was reported as unwanted'],
  withheld: ['–', color.soft, 'Withheld: it was not sent'],
  expired: ['–', color.soft, 'Too late: its deadline had passed'],
  canceled: ['–', color.soft, 'Called back before it was sent'],
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

const Sign = styled.span<{ readonly $ink: string }>`
  font: 600 16px/24px ${font.mono};
  text-align: center;
  color: ${({ $ink }) => $ink};
`;

const Evidence = styled.p`
  font: 14px/1.5 ${font.mono};
  color: ${color.soft};
  overflow-wrap: anywhere;
`;

function stepsOf(delivery: Delivery, askedAt: string): Step[] {
  const steps: Step[] = [{ at: askedAt, sign: '→', ink: color.mark, title: 'Accepted from the app', evidence: undefined }];
  for (const attempt of delivery.attempts) {
    const [sign, ink, words] = attempt.outcome === undefined ? (['…', color.mark, 'is being asked'] as const) : OUTCOMES[attempt.outcome];
    steps.push({
      at: attempt.endedAt ?? attempt.startedAt,
      sign,
      ink,
      title: `Attempt ${attempt.number}: ${attempt.provider} ${words}`,
      evidence: attempt.diagnostic,
    });
  }
  for (const fact of delivery.facts) {
    if (fact.source === 'attempt') continue;
    const [sign, ink, title] = REPORTS[fact.kind] ?? ['–', color.soft, fact.kind];
    steps.push({ at: fact.at, sign, ink, title, evidence: fact.diagnostic, returnId: fact.returnId });
  }
  steps.sort((a, b) => a.at.localeCompare(b.at));
  if (delivery.nextAttemptAt !== undefined)
    steps.push({ at: delivery.nextAttemptAt, sign: '…', ink: color.mark, title: 'Next attempt', evidence: undefined });
  return steps;
}

/** A delivery's journey: attempts and what came back, in order, with what the other side said. */
export function Timeline({ delivery, askedAt }: { readonly delivery: Delivery; readonly askedAt: string }) {
  return (
    <List aria-label="Journey">
      {stepsOf(delivery, askedAt).map((step, i) => (
        <Item key={i}>
          <time dateTime={step.at} title={exactTime(step.at)}>
            {clockTime(step.at)}
          </time>
          <Sign $ink={step.ink} aria-hidden="true">
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
