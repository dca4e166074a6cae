import { createClient, type Client, type SessionView, type SpaceView } from '@verbalis/client';
import { createContext, useContext } from 'react';

const SPACE = 'verbalis.space';

/** A client that speaks with the console's session; the header tells the service that no foreign page asks. */
export function consoleClient(space: string | undefined): Client {
  return createClient({ url: window.location.origin, space, headers: { 'verbalis-console': '1' }, fetch: (...args) => fetch(...args) });
}

export interface Session {
  readonly client: Client;
  readonly spaces: readonly SpaceView[];
  readonly space: SpaceView;
  /** In a local preview: the mail folder that is shown, and nothing else. */
  readonly folder: string | undefined;
  /** Undefined with the operator's secret. */
  readonly person: SessionView['person'];
  /** Whether one administers the service. */
  readonly operator: boolean;
  readonly choose: (name: string) => void;
  readonly leave: () => void;
}

export const SessionContext = createContext<Session | undefined>(undefined);

export function useSession(): Session {
  const session = useContext(SessionContext);
  if (session === undefined) throw new Error('This page is shown to those who are signed in only.');
  return session;
}

/** Whether one may change what belongs to the space. */
export function isManager({ operator, space }: Pick<Session, 'operator' | 'space'>): boolean {
  return operator || space.role === 'operator';
}

/** The space that was looked at last, on this machine. */
export function rememberedSpace(spaces: readonly SpaceView[]): SpaceView | undefined {
  const name = window.localStorage.getItem(SPACE);
  return spaces.find((space) => space.name === name) ?? spaces[0];
}

export function rememberSpace(name: string): void {
  window.localStorage.setItem(SPACE, name);
}
