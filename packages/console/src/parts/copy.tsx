import { useState } from 'react';
import { Button as AriaButton } from 'react-aria-components';
import styled from 'styled-components';
import { color, font } from '../style.js';
import { Button } from './basics.js';
import { Unseen } from './unseen.js';

const Line = styled.div`
  display: flex;
  gap: 8px;
  align-items: start;
  code {
    flex: 1;
    min-width: 0;
    overflow-wrap: anywhere;
    background: ${color.wash};
    padding: 4px 8px;
    border-radius: 4px;
    font-size: 14px;
    line-height: 20px;
  }
`;

const Small = styled(AriaButton)`
  font: 600 14px/20px ${font.sans};
  padding: 3px 10px;
  min-width: 72px;
  border: 1px solid ${color.hair};
  border-radius: 4px;
  background: transparent;
  color: ${color.accent};
  cursor: pointer;
  &[data-focus-visible] {
    outline: 2px solid ${color.accent};
    outline-offset: 2px;
  }
`;

/** For who does not see that the button has changed. */
/** Copies a text, and says for a moment that it did. */
function useCopy(text: string): readonly [said: string | undefined, copy: () => void] {
  const [said, setSaid] = useState<string>();
  return [
    said,
    () => {
      void navigator.clipboard.writeText(text).then(
        () => setSaid('Copied'),
        // Without a secure context browsers have no clipboard.
        () => setSaid('Select it'),
      );
    },
  ];
}

/** A text with a button that copies it. @param name what it is, for people who do not see its context */
export function Copied({ text, name }: { readonly text: string; readonly name: string }) {
  const [said, copy] = useCopy(text);
  return (
    <Line>
      <code>{text}</code>
      <Small onPress={copy} aria-label={`Copy ${name}`}>
        {said ?? 'Copy'}
      </Small>
      <Unseen role="status">{said}</Unseen>
    </Line>
  );
}

/** A button that copies a text which is not shown. */
export function CopyButton({ text, label }: { readonly text: string; readonly label: string }) {
  const [said, copy] = useCopy(text);
  return (
    <>
      <Button $quiet onPress={copy}>
        {said ?? label}
      </Button>
      <Unseen role="status">{said}</Unseen>
    </>
  );
}
