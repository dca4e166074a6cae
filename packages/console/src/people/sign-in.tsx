import type { SessionView } from '@verbalis/client';
import { useEffect, useState } from 'react';
import { FieldError, Form, Input, Label, TextField } from 'react-aria-components';
import styled from 'styled-components';
import { Button, Fault } from '../parts/basics.js';
import { consoleClient } from '../session.js';
import { color, font } from '../style.js';

const Sheet = styled.main`
  min-height: 100vh;
  display: grid;
  align-content: center;
  justify-content: center;
  padding: 16px;
`;

const Card = styled.div`
  width: min(420px, calc(100vw - 32px));
  display: grid;
  gap: 24px;
  h1 {
    font-size: 40px;
  }
`;

const Ways = styled.div`
  display: grid;
  gap: 20px;
  details {
    border-top: 1px solid ${color.hair};
    padding-top: 16px;
  }
  summary {
    cursor: pointer;
    color: ${color.soft};
    margin-bottom: 12px;
  }
`;

const Field = styled(TextField)`
  display: grid;
  gap: 4px;
  label {
    font-weight: 600;
  }
  input {
    font: 16px/24px ${font.mono};
    padding: 10px 12px;
    color: ${color.text};
    background: ${color.raised};
    border: 1px solid ${color.soft};
    border-radius: 6px;
  }
`;

const Lines = styled(Form)`
  display: grid;
  gap: 12px;
  justify-items: start;
  > ${Field} {
    width: 100%;
  }
`;

const Elsewhere = styled.a`
  font: 600 15px/20px ${font.sans};
  padding: 8px 16px;
  border-radius: 6px;
  border: 1px solid ${color.accent};
  color: ${color.accent};
  text-decoration: none;
  justify-self: start;
`;

/** Why the OpenID provider led back without signing in. */
const REFUSED: Readonly<Record<string, string>> = {
  'not-invited': 'You are not invited here. Ask an operator for an invitation to the address of your account.',
  'not-verified': 'The address of your account is not verified there, so it proves nothing.',
  interrupted: 'Signing in was interrupted. Please try again.',
  unavailable: 'The provider of accounts does not answer. Try again in a moment, or use another way.',
};

interface WaysProps {
  readonly onSignedIn: (session: SessionView) => void;
}

/** All ways to sign in that are set up here. */
export function SignInWays({ onSignedIn }: WaysProps) {
  const [ways, setWays] = useState<{ links: boolean; openid?: string | undefined }>();
  const [error, setError] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  const [asked, setAsked] = useState<{ email: string; minutes: number }>();
  useEffect(() => {
    consoleClient(undefined)
      .session.ways()
      .then(setWays, () => setWays({ links: false }));
  }, []);

  const doing = (work: Promise<unknown>): void => {
    setBusy(true);
    setError(undefined);
    work.catch(setError).finally(() => setBusy(false));
  };
  const textIn = (form: HTMLFormElement, name: string): string => {
    const value = new FormData(form).get(name);
    return typeof value === 'string' ? value : '';
  };

  if (ways === undefined) return null;
  const secret = (
    <Lines
      onSubmit={(event) => {
        event.preventDefault();
        doing(
          consoleClient(undefined)
            .session.signIn({ secret: textIn(event.currentTarget, 'secret') })
            .then(onSignedIn),
        );
      }}
    >
      <Field name="secret" type="password" isRequired autoFocus={!ways.links}>
        <Label>Operator’s secret</Label>
        <Input autoComplete="current-password" />
        <FieldError />
      </Field>
      <Button type="submit" isDisabled={busy}>
        Sign in
      </Button>
      <p>
        It is in the secrets file of the service. <code>verbalis console link</code> makes a link that opens the console without it, once.
      </p>
    </Lines>
  );
  return (
    <Ways>
      {ways.openid !== undefined && <Elsewhere href="/console/openid/start">Sign in with {ways.openid}</Elsewhere>}
      {ways.links && (
        <Lines
          onSubmit={(event) => {
            event.preventDefault();
            const email = textIn(event.currentTarget, 'email');
            doing(
              consoleClient(undefined)
                .session.ask({ email })
                .then(({ minutes }) => setAsked({ email, minutes })),
            );
          }}
        >
          <Field name="email" type="email" isRequired autoFocus>
            <Label>Your address</Label>
            <Input autoComplete="email" />
            <FieldError />
          </Field>
          <Button type="submit" isDisabled={busy}>
            Send me a link
          </Button>
          {asked !== undefined && (
            <p role="status">
              If {asked.email} is known here, a link is on its way. It works once, for {asked.minutes} minutes.
            </p>
          )}
        </Lines>
      )}
      {error !== undefined && <Fault error={error} />}
      {ways.links || ways.openid !== undefined ? (
        <details>
          <summary>Use the operator’s secret</summary>
          {secret}
        </details>
      ) : (
        secret
      )}
    </Ways>
  );
}

/** The page of a link: only its button signs in, since programs that look at emails open links too. */
function ByLink({ token, onSignedIn }: WaysProps & { readonly token: string }) {
  const [error, setError] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  if (error !== undefined)
    return (
      <>
        <Fault error={error} />
        <SignInWays onSignedIn={onSignedIn} />
      </>
    );
  return (
    <Lines
      onSubmit={(event) => {
        event.preventDefault();
        setBusy(true);
        window.history.replaceState(null, '', '/');
        consoleClient(undefined)
          .session.signIn({ token })
          .then(onSignedIn, setError)
          .finally(() => setBusy(false));
      }}
    >
      <p>The link that you opened signs you in, once.</p>
      <Button type="submit" isDisabled={busy} autoFocus>
        Sign in
      </Button>
    </Lines>
  );
}

/** The way in. */
export function SignIn({ onSignedIn }: WaysProps) {
  const [hash] = useState(() => window.location.hash);
  const token = /^#token=([\w-]+)$/.exec(hash)?.[1];
  const refused = /^#refused=([\w-]+)$/.exec(hash)?.[1];
  useEffect(() => {
    document.title = 'Sign in · Verbalis';
  }, []);
  return (
    <Sheet>
      <Card>
        <div>
          <h1>Verbalis</h1>
          <p>Email that arrives, and a timeline of each delivery.</p>
        </div>
        {refused !== undefined && <Fault error={new Error(REFUSED[refused] ?? 'You were not signed in.')} />}
        {token === undefined ? <SignInWays onSignedIn={onSignedIn} /> : <ByLink token={token} onSignedIn={onSignedIn} />}
      </Card>
    </Sheet>
  );
}
