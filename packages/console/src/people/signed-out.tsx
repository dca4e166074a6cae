import type { SessionView } from '@verbalis/client';
import { useEffect } from 'react';
import { Dialog, Heading, Modal, ModalOverlay } from 'react-aria-components';
import styled from 'styled-components';
import { consoleClient } from '../session.js';
import { color, font } from '../style.js';
import { SignInWays } from './sign-in.js';

const Ground = styled(ModalOverlay)`
  position: fixed;
  inset: 0;
  background: rgb(0 0 0 / 0.4);
  display: grid;
  place-items: center;
  padding: 16px;
  z-index: 20;
`;

const Box = styled(Modal)`
  background: ${color.paper};
  color: ${color.text};
  border-radius: 8px;
  padding: 24px;
  width: min(460px, calc(100vw - 32px));
  max-height: calc(100vh - 32px);
  overflow: auto;
  box-shadow: 0 16px 48px rgb(0 0 0 / 0.3);
  [role='dialog'] {
    display: grid;
    gap: 16px;
    outline: none;
  }
  h2 {
    font: 560 22px/1.25 ${font.serif};
  }
`;

/** The session has ended while a page is open: the page stays as it is, with all that was typed, until somebody is signed in again. */
export function SignedOut({ onSignedIn }: { readonly onSignedIn: (session: SessionView) => void }) {
  // Somebody may have signed in by a link in another tab meanwhile.
  useEffect(() => {
    const look = (): void => {
      consoleClient(undefined)
        .session.get()
        .then(onSignedIn, () => undefined);
    };
    window.addEventListener('focus', look);
    return () => window.removeEventListener('focus', look);
  }, [onSignedIn]);
  return (
    <Ground isOpen isKeyboardDismissDisabled>
      <Box>
        <Dialog>
          <Heading slot="title" level={2}>
            Your session has ended
          </Heading>
          <p>Sign in to go on where you were. What you have typed is still there.</p>
          <SignInWays onSignedIn={onSignedIn} />
        </Dialog>
      </Box>
    </Ground>
  );
}
