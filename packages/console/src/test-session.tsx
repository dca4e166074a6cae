import type { Client, SpaceView } from '@verbalis/client';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { jest } from '@jest/globals';
import { render, type RenderResult } from '@testing-library/react';
import type { ReactNode } from 'react';
import { MemoryRouter } from 'react-router';
import { SessionContext, type Session } from './session.js';

const HARBOUR: SpaceView = { name: 'harbour', mode: 'deliver', role: 'operator', content: true };
const DRYDOCK: SpaceView = { name: 'drydock', mode: 'capture', role: 'operator', content: true };

/** What a test gives of a client: only what the component asks for. */
export type ClientParts = { readonly [Part in keyof Client]?: Partial<Client[Part]> };

/** Shows a component as the console does to a person who is signed in. */
export function showTo(
  node: ReactNode,
  { client = {}, at = '/', ...more }: { readonly client?: ClientParts; readonly at?: string } & Partial<Omit<Session, 'client'>> = {},
): RenderResult {
  // The library minds that a time which shows its date on focus has the role of a note; screen readers read it as it is meant.
  jest.spyOn(globalThis.console, 'warn').mockImplementation(() => undefined);
  const session: Session = {
    client: client as Client,
    spaces: [HARBOUR, DRYDOCK],
    space: HARBOUR,
    folder: undefined,
    person: undefined,
    operator: true,
    choose: () => undefined,
    leave: () => undefined,
    ...more,
  };
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  return render(
    <QueryClientProvider client={queries}>
      <SessionContext value={session}>
        <MemoryRouter initialEntries={[at]}>{node}</MemoryRouter>
      </SessionContext>
    </QueryClientProvider>,
  );
}
