import { RefusedError, type State } from '@verbalis/client';
import { Focusable, Tooltip, TooltipTrigger, Button as AriaButton } from 'react-aria-components';
import styled from 'styled-components';
import { color, font } from '../style.js';
import { ago, exactTime, STATES } from '../words.js';

const Tip = styled(Tooltip)`
  background: ${color.text};
  color: ${color.paper};
  font: 14px/1.4 ${font.sans};
  padding: 4px 8px;
  border-radius: 4px;
`;

const TimeText = styled.time`
  white-space: nowrap;
  color: ${color.soft};
`;

/** A time as people say it, the exact one on focus or hover. */
export function When({ at }: { readonly at: string }) {
  return (
    <TooltipTrigger delay={300}>
      <Focusable>
        <TimeText dateTime={at} tabIndex={0} role="note" aria-label={exactTime(at)}>
          {ago(at)}
        </TimeText>
      </Focusable>
      <Tip placement="top">{exactTime(at)}</Tip>
    </TooltipTrigger>
  );
}

/** A state with its sign before it. */
export const StateText = styled.span<{ $color: string }>`
  display: inline-flex;
  gap: 6px;
  align-items: baseline;
  white-space: nowrap;
  font-weight: 600;
  color: ${({ $color }) => $color};
  &::before {
    content: attr(data-sign);
    font-family: ${font.mono};
    width: 1ch;
  }
`;

export function StateWord({ state }: { readonly state: State }) {
  const { sign, color: hue } = STATES[state];
  return (
    <StateText $color={hue} data-sign={sign}>
      {state}
    </StateText>
  );
}

export const Button = styled(AriaButton)<{ readonly $quiet?: boolean }>`
  font: 600 15px/20px ${font.sans};
  padding: 8px 16px;
  border-radius: 6px;
  border: 1px solid ${({ $quiet }) => ($quiet === true ? color.hair : color.accent)};
  background: ${({ $quiet }) => ($quiet === true ? 'transparent' : color.accent)};
  color: ${({ $quiet }) => ($quiet === true ? color.text : color.onAccent)};
  cursor: pointer;
  &[data-hovered] {
    filter: brightness(1.08);
  }
  &[data-disabled] {
    opacity: 0.5;
    cursor: default;
  }
  &[data-focus-visible] {
    outline: 2px solid ${color.accent};
    outline-offset: 2px;
  }
`;

export const Mono = styled.span`
  font-family: ${font.mono};
  font-size: 0.875em;
  overflow-wrap: anywhere;
`;

const Box = styled.div`
  border-left: 3px solid ${color.bad};
  padding: 8px 16px;
  background: ${color.wash};
`;

/** A refusal in the service's own words. */
export function Fault({ error }: { readonly error: unknown }) {
  const problems = error instanceof RefusedError ? (error.problem.problems ?? []) : [];
  return (
    <Box role="alert">
      {problems.length === 0
        ? error instanceof Error
          ? error.message
          : 'Something went wrong.'
        : problems.map((problem) => (
            <p key={`${problem.path}${problem.message}`}>
              {problem.path} {problem.message} {problem.hint}
            </p>
          ))}
    </Box>
  );
}

/** What is to be known beside a table. */
export const Note = styled.p`
  margin-top: 16px;
  max-width: 820px;
`;

const Lesson = styled.section`
  max-width: 62ch;
  display: grid;
  gap: 16px;
  padding: 24px 0;
  pre {
    font-family: ${font.mono};
    font-size: 14px;
    background: ${color.wash};
    padding: 12px 16px;
    border-radius: 6px;
    white-space: pre-wrap;
    overflow-wrap: anywhere;
    margin: 0;
  }
`;

/** An empty page teaches: what this is, and the command that fills it. */
export function Empty({
  title,
  children,
  command,
  level = 2,
}: {
  readonly title: string;
  readonly children: React.ReactNode;
  readonly command: string;
  /** Of its heading: 3 within a section that has one. */
  readonly level?: 2 | 3;
}) {
  const Heading = level === 2 ? 'h2' : 'h3';
  return (
    <Lesson>
      <Heading>{title}</Heading>
      <p>{children}</p>
      <pre>
        <code>{command}</code>
      </pre>
    </Lesson>
  );
}
