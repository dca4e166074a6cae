import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { ToggleButton, ToggleButtonGroup } from 'react-aria-components';
import styled from 'styled-components';
import { useSession } from '../session.js';
import { color, font } from '../style.js';
import { Button, Fault } from './basics.js';

const Head = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 12px 16px;
  align-items: center;
  margin-bottom: 16px;
  h2 {
    flex: 1 0 180px;
  }
`;

const Masked = styled.p`
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 16px;
  margin: 0 0 16px;
  color: ${color.soft};
`;

const Parts = styled.div`
  display: grid;
  gap: 24px;
  grid-template-columns: minmax(0, 1fr);
  @media (min-width: 1180px) {
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  }
`;

const Pane = styled.figure<{ readonly $phone: boolean }>`
  margin: 0;
  display: grid;
  gap: 4px;
  align-content: start;
  figcaption {
    color: ${color.soft};
    font-size: 14px;
  }
  iframe {
    width: 100%;
    max-width: ${({ $phone }) => ($phone ? '377px' : 'none')};
    height: 720px;
    border: 1px solid ${color.hair};
    border-radius: 6px;
    background: #fff;
  }
`;

const TextPart = styled.pre`
  margin: 0;
  padding: 16px;
  height: 720px;
  overflow: auto;
  border: 1px solid ${color.hair};
  border-radius: 6px;
  background: ${color.raised};
  font: 12px/1.55 ${font.mono};
  white-space: pre-wrap;
`;

const Switch = styled(ToggleButtonGroup)`
  display: flex;
  border: 1px solid ${color.hair};
  border-radius: 6px;
  overflow: hidden;
  button {
    font: 15px/20px ${font.sans};
    padding: 7px 12px;
    border: 0;
    background: transparent;
    color: ${color.text};
    cursor: pointer;
  }
  button[data-selected] {
    background: ${color.text};
    color: ${color.paper};
  }
  button[data-focus-visible] {
    outline: 2px solid ${color.accent};
    outline-offset: -3px;
  }
`;

/** The mail as sent: HTML in a frame where nothing runs and nothing is fetched until asked, the text beside it. */
export function MailPreview({ id, made, canUnmask }: { readonly id: string; readonly made: boolean; readonly canUnmask: boolean }) {
  const { client, space } = useSession();
  const [width, setWidth] = useState('desktop');
  const [remote, setRemote] = useState(false);
  const [isUnmasked, setUnmasked] = useState(false);
  const sensitive = isUnmasked ? ('yes' as const) : undefined;
  const { data, error } = useQuery({
    queryKey: ['mail', space.name, id, sensitive],
    queryFn: () => client.messages.mail(id, { sensitive }),
    enabled: made,
    staleTime: Infinity,
  });
  if (!made) return <p>The mail is made at the first attempt.</p>;
  if (error !== null) return <Fault error={error} />;
  const source = `/v1/messages/${id}/html?${new URLSearchParams({ space: space.name, remote: remote ? 'yes' : 'no', ...(isUnmasked ? { sensitive: 'yes' } : {}) }).toString()}`;
  return (
    <>
      <Head>
        <h2>The email as sent</h2>
        <Switch
          aria-label="Width"
          selectionMode="single"
          disallowEmptySelection
          selectedKeys={[width]}
          onSelectionChange={(keys) => setWidth([...keys].map(String)[0] ?? width)}
        >
          <ToggleButton id="desktop">Desktop</ToggleButton>
          <ToggleButton id="phone">Phone</ToggleButton>
        </Switch>
        <Button $quiet isDisabled={remote} onPress={() => setRemote(true)}>
          {remote ? 'Pictures are loaded' : 'Load pictures'}
        </Button>
      </Head>
      {data?.masked === true && (
        <Masked>
          Some of its data is sensitive: placeholders are shown instead.
          {canUnmask && (
            <Button $quiet onPress={() => setUnmasked(true)}>
              Show it as sent
            </Button>
          )}
        </Masked>
      )}
      {data !== undefined && (
        <Parts>
          <Pane $phone={width === 'phone'}>
            <figcaption>HTML, {(data.size / 1000).toFixed(1)} kB in all</figcaption>
            <iframe title="HTML part" sandbox="" referrerPolicy="no-referrer" src={source} />
          </Pane>
          <Pane $phone={false}>
            <figcaption>Text</figcaption>
            <TextPart tabIndex={0} aria-label="Text part">
              {data.text}
            </TextPart>
          </Pane>
        </Parts>
      )}
    </>
  );
}
