import type { SpaceView } from '@verbalis/client';
import { useEffect, useRef, useState } from 'react';
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

const Sheetform = styled(Form)`
  display: grid;
  gap: 16px;
  justify-items: start;
  > ${Field} {
    width: 100%;
  }
`;

/** Sign-in with the operator's secret, or by the one-time link that the service prints when it starts. */
export function SignIn({ onSignedIn }: { readonly onSignedIn: (spaces: SpaceView[]) => void }) {
  const [error, setError] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  const tried = useRef(false);

  const enter = (by: { secret: string } | { token: string }): void => {
    setBusy(true);
    setError(undefined);
    consoleClient(undefined)
      .session.signIn(by)
      .then(({ spaces }) => onSignedIn(spaces), setError)
      .finally(() => setBusy(false));
  };

  useEffect(() => {
    const token = /^#token=([\w-]+)$/.exec(window.location.hash)?.[1];
    if (token === undefined || tried.current) return;
    // A token is good for one use: an effect that runs twice must not spend it twice.
    tried.current = true;
    window.history.replaceState(null, '', '/');
    enter({ token });
  });

  return (
    <Sheet>
      <Card>
        <div>
          <h1>Verbalis</h1>
          <p>Email that arrives, and a timeline of each delivery.</p>
        </div>
        <Sheetform
          onSubmit={(event) => {
            event.preventDefault();
            const secret = new FormData(event.currentTarget).get('secret');
            enter({ secret: typeof secret === 'string' ? secret : '' });
          }}
        >
          <Field name="secret" type="password" isRequired autoFocus>
            <Label>Operator’s secret</Label>
            <Input autoComplete="current-password" />
            <FieldError />
          </Field>
          <Button type="submit" isDisabled={busy}>
            Sign in
          </Button>
        </Sheetform>
        {error !== undefined && <Fault error={error} />}
        <p>
          It is in the secrets file of the service. <code>verbalis serve</code> prints a link that opens the console without it, once.
        </p>
      </Card>
    </Sheet>
  );
}
