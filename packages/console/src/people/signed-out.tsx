import type { SessionView } from '@verbalis/client';
import { useEffect } from 'react';
import { Dialog, Heading } from 'react-aria-components';
import { Box, Ground } from '../parts/modal.js';
import { consoleClient } from '../session.js';
import { SignInWays } from './sign-in.js';

/** The session has ended while a page is open: the page stays as it is, with all that was typed, until the next sign-in. */
export function SignedOut({ onSignedIn }: { readonly onSignedIn: (session: SessionView) => void }) {
  // Someone may have signed in by a link in another tab meanwhile.
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
