import { useState } from 'react';
import { Link } from 'react-router';
import styled from 'styled-components';
import { color } from '../style.js';
import { Button, StateText } from './basics.js';
import type { Matter } from './matters.js';

const SHOWN = 3;
const LEVELS: Readonly<Record<Matter['level'], readonly [sign: string, word: string, hue: string]>> = {
  must: ['✕', 'must be done', color.bad],
  should: ['!', 'should be looked at', color.wait],
};

const List = styled.ul`
  display: grid;
  gap: 2px;
  margin: 0 0 24px;
  padding: 10px 16px;
  list-style: none;
  border-left: 3px solid ${color.wait};
  background: ${color.wash};
  li {
    display: flex;
    gap: 4px 12px;
    align-items: baseline;
    overflow-wrap: anywhere;
    min-width: 0;
  }
  a {
    min-width: 0;
    padding-block: 2px;
  }
`;

/** What needs attention in a step of the work, the most pressing first; nothing where nothing does. */
export function Attention({ matters }: { readonly matters: readonly Matter[] }) {
  const [isWhole, setWhole] = useState(false);
  const sorted = [...matters.filter(({ level }) => level === 'must'), ...matters.filter(({ level }) => level === 'should')];
  if (sorted.length === 0) return null;
  const shown = isWhole ? sorted : sorted.slice(0, SHOWN);
  return (
    <List aria-label="Needs attention">
      {shown.map(({ level, text, to }) => {
        const [sign, word, hue] = LEVELS[level];
        return (
          <li key={`${to} ${text}`}>
            <StateText $color={hue} data-sign={sign} role="img" aria-label={word} />
            <Link to={to}>{text}</Link>
          </li>
        );
      })}
      {shown.length < sorted.length && (
        <li>
          <Button $quiet onPress={() => setWhole(true)}>
            {sorted.length - shown.length} more
          </Button>
        </li>
      )}
    </List>
  );
}
