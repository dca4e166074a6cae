import type { SpaceView } from '@verbalis/client';
import { Suspense, useEffect, useRef } from 'react';
import { Button as AriaButton, Input, Label, ListBox, ListBoxItem, Popover, SearchField, Select, SelectValue } from 'react-aria-components';
import { NavLink, Outlet, useNavigate } from 'react-router';
import styled from 'styled-components';
import { useSession } from '../session.js';
import { color, font, wide } from '../style.js';
import { useRememberSearch } from './back.js';
import { WithoutFailure } from './failed.js';
import { usePage } from './page.js';

const STEPS = [
  ['/write', 'Write'],
  ['/try', 'Try'],
  ['/send', 'Send'],
  ['/track', 'Track'],
  ['/set-up', 'Set up'],
] as const;

const Page = styled.div`
  min-height: 100vh;
  ${wide} {
    display: grid;
    grid-template-columns: 208px minmax(0, 1fr);
  }
`;

const Rail = styled.header`
  padding: 16px;
  border-bottom: 1px solid ${color.hair};
  display: flex;
  flex-wrap: wrap;
  gap: 12px 16px;
  align-items: center;
  ${wide} {
    position: sticky;
    top: 0;
    height: 100vh;
    flex-direction: column;
    flex-wrap: nowrap;
    align-items: stretch;
    gap: 24px;
    padding: 24px 16px;
    border-bottom: 0;
    border-right: 1px solid ${color.hair};
  }
`;

const Name = styled.div`
  font: 600 22px/1 ${font.serif};
  letter-spacing: -0.02em;
  padding: 0 8px;
  flex: 1;
  ${wide} {
    flex: none;
  }
`;

const Steps = styled.nav`
  display: flex;
  gap: 4px;
  overflow-x: auto;
  order: 3;
  width: 100%;
  ${wide} {
    flex-direction: column;
    order: 0;
    flex: 1;
  }
  a {
    display: block;
    padding: 6px 8px;
    color: ${color.text};
    text-decoration: none;
    font-size: 17px;
    white-space: nowrap;
    border-radius: 4px;
  }
  a:hover {
    background: ${color.wash};
  }
  a[aria-current='page'] {
    color: ${color.accent};
    font-weight: 650;
    box-shadow: inset 0 -2px 0 ${color.accent};
    border-radius: 0;
    ${wide} {
      box-shadow: inset 3px 0 0 ${color.accent};
    }
  }
`;

const SpaceButton = styled(AriaButton)<{ readonly $captures: boolean }>`
  display: flex;
  gap: 8px;
  align-items: baseline;
  justify-content: space-between;
  width: 100%;
  font: 600 15px/20px ${font.sans};
  color: ${color.text};
  background: ${color.raised};
  padding: 8px 12px;
  border: 1px ${({ $captures }) => ($captures ? 'dashed' : 'solid')} ${({ $captures }) => ($captures ? color.wait : color.hair)};
  border-radius: 6px;
  cursor: pointer;
`;

const Mode = styled.span<{ readonly $captures: boolean }>`
  font-size: 13px;
  font-weight: 600;
  color: ${({ $captures }) => ($captures ? color.wait : color.good)};
`;

const Chosen = styled(SelectValue)`
  display: flex;
  flex: 1;
  gap: 8px;
  align-items: baseline;
  justify-content: space-between;
`;

const Choices = styled(Popover)`
  background: ${color.raised};
  border: 1px solid ${color.hair};
  border-radius: 6px;
  padding: 4px;
  min-width: var(--trigger-width);
  box-shadow: 0 8px 24px rgb(0 0 0 / 0.16);
`;

const Choice = styled(ListBoxItem)`
  display: flex;
  justify-content: space-between;
  gap: 16px;
  padding: 6px 8px;
  border-radius: 4px;
  cursor: pointer;
  color: ${color.text};
  &[data-focused] {
    background: ${color.wash};
    outline: none;
  }
`;

const Small = styled(Label)`
  font-size: 13px;
  color: ${color.soft};
`;

const Main = styled.main`
  padding: 24px 16px 64px;
  max-width: 1280px;
  min-width: 0;
  &:focus {
    outline: none;
  }
  ${wide} {
    padding: 32px 40px 64px;
  }
`;

/** Seen only by those who come to it by the keyboard. */
const Skip = styled.a`
  position: absolute;
  left: 16px;
  top: -60px;
  z-index: 10;
  padding: 8px 14px;
  border-radius: 6px;
  background: ${color.accent};
  color: ${color.onAccent};
  &:focus {
    top: 8px;
  }
`;

const Account = styled.div`
  display: flex;
  gap: 2px 16px;
  align-items: baseline;
  ${wide} {
    display: grid;
    gap: 2px;
  }
  padding: 0 8px;
  font-size: 14px;
  color: ${color.soft};
  overflow-wrap: anywhere;
`;

const Leave = styled.button`
  font: 15px/20px ${font.sans};
  color: ${color.soft};
  background: none;
  border: 0;
  padding: 6px 0;
  text-align: left;
  cursor: pointer;
  &:hover {
    color: ${color.text};
    text-decoration: underline;
  }
`;

const Help = styled.a`
  display: block;
  padding: 4px 0;
  ${wide} {
    margin-bottom: 8px;
  }
`;

const Strip = styled.aside`
  border: 1px dashed ${color.wait};
  border-radius: 6px;
  padding: 8px 14px;
  margin-bottom: 20px;
  display: flex;
  flex-wrap: wrap;
  gap: 2px 16px;
  font-size: 15px;
  strong {
    color: ${color.wait};
  }
`;

/** What the space does with its mail, where that is not simply sending it: said on every page. */
function Rules({ space }: { readonly space: SpaceView }) {
  const captures = space.mode === 'capture';
  if (!captures && space.allowed === undefined && space.mark === undefined && space.archive === undefined) return null;
  return (
    <Strip aria-label="Rules of this space">
      {captures && (
        <span>
          <strong>◇ {space.name} captures.</strong> Nothing that is sent here leaves.
        </span>
      )}
      {!captures && space.allowed !== undefined && (
        <span>
          <strong>▣ {space.name} is restricted.</strong> Only {space.allowed.join(', ')} get mail; the rest{' '}
          {space.redirectTo === undefined ? 'is captured' : `goes to ${space.redirectTo}`}.
        </span>
      )}
      {space.mark !== undefined && <span>Subjects are marked “{space.mark}”.</span>}
      {!captures && space.archive !== undefined && <span>A copy of every mail goes to {space.archive}.</span>}
    </Strip>
  );
}

const Finding = styled(SearchField)`
  display: grid;
  gap: 4px;
  flex: 1 1 200px;
  ${wide} {
    flex: none;
  }
  label {
    font-size: 13px;
    color: ${color.soft};
  }
  kbd {
    border: 1px solid ${color.hair};
    border-radius: 3px;
    padding: 0 4px;
    font-size: 12px;
  }
  input {
    font: 15px/20px ${font.sans};
    padding: 6px 10px;
    border: 1px solid ${color.soft};
    border-radius: 6px;
    background: ${color.raised};
    color: ${color.text};
    width: 100%;
  }
`;

/** One field for everything: an address, an id, a subject, a reference. "/" leads to it. */
function Find() {
  const navigate = useNavigate();
  const input = useRef<HTMLInputElement>(null);
  useEffect(() => {
    const listen = (event: KeyboardEvent): void => {
      const at = event.target instanceof HTMLElement ? event.target : undefined;
      if (
        event.key !== '/' ||
        event.ctrlKey ||
        event.metaKey ||
        event.altKey ||
        (at?.closest('input, textarea, select, [contenteditable]') ?? null) !== null
      )
        return;
      event.preventDefault();
      input.current?.focus();
    };
    window.addEventListener('keydown', listen);
    return () => window.removeEventListener('keydown', listen);
  }, []);
  return (
    <Finding
      onSubmit={(text) => {
        if (text.trim() !== '') void navigate(`/search?${new URLSearchParams({ q: text.trim() }).toString()}`);
      }}
    >
      <Label>
        Find <kbd>/</kbd>
      </Label>
      <Input ref={input} placeholder="address, id, subject" />
    </Finding>
  );
}

function modeWord(mode: 'deliver' | 'capture'): string {
  return mode === 'capture' ? '◇ captures' : '● delivers';
}

/** The page that the address names. */
function Content() {
  return (
    <WithoutFailure>
      <Suspense fallback={null}>
        <Outlet />
      </Suspense>
    </WithoutFailure>
  );
}

/** The page around every page: rail with the steps of the work, and the space one is in. */
export function Frame() {
  const { space, spaces, folder, person, choose, leave } = useSession();
  const main = usePage(folder ?? space.name);
  useRememberSearch();
  if (folder !== undefined)
    return (
      <Page>
        <Rail>
          <Name>Verbalis</Name>
          <Small as="div">Preview, on this machine</Small>
          <Steps aria-label="Steps of the work">
            <NavLink to="/write">Write</NavLink>
          </Steps>
        </Rail>
        <Main ref={main} id="page" tabIndex={-1}>
          <Content />
        </Main>
      </Page>
    );
  return (
    <Page>
      <Skip href="#page">Skip to the page</Skip>
      <Rail>
        <Name>Verbalis</Name>
        <Select value={space.name} onChange={(key) => choose(String(key))}>
          <Small>Space</Small>
          <SpaceButton $captures={space.mode === 'capture'}>
            <Chosen>
              {() => (
                <>
                  <span>{space.name}</span> <Mode $captures={space.mode === 'capture'}>{modeWord(space.mode)}</Mode>
                </>
              )}
            </Chosen>
          </SpaceButton>
          <Choices>
            <ListBox items={spaces.map((item) => ({ ...item, id: item.name }))}>
              {({ name, mode }) => (
                <Choice textValue={name}>
                  <span>{name}</span>
                  <Mode $captures={mode === 'capture'}>{modeWord(mode)}</Mode>
                </Choice>
              )}
            </ListBox>
          </Choices>
        </Select>
        <Find />
        <Steps aria-label="Steps of the work">
          {STEPS.map(([to, name]) => (
            <NavLink key={to} to={to}>
              {name}
            </NavLink>
          ))}
        </Steps>
        <Account>
          <Help href="/docs/">Documentation</Help>
          {person === undefined ? 'Operator’s secret' : person.email}
          <Leave type="button" onClick={leave}>
            Sign out
          </Leave>
        </Account>
      </Rail>
      <Main ref={main} id="page" tabIndex={-1}>
        <Rules space={space} />
        <Content />
      </Main>
    </Page>
  );
}
