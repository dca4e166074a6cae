import { Component, type ReactNode } from 'react';
import { useLocation } from 'react-router';
import styled from 'styled-components';
import { Button, Mono } from './basics.js';

const Page = styled.div`
  display: grid;
  gap: 12px;
  max-width: 62ch;
`;

interface Props {
  readonly children: ReactNode;
}

/** Keeps the frame of the console when a page fails, and shows why: its script was not there, or has a fault. */
class Boundary extends Component<Props, { readonly error: unknown }> {
  override readonly state = { error: undefined };

  static getDerivedStateFromError(error: unknown): { readonly error: unknown } {
    return { error };
  }

  override render(): ReactNode {
    const { error } = this.state as { readonly error: unknown };
    if (error === undefined) return this.props.children;
    return (
      <Page role="alert">
        <h1>This page cannot be shown</h1>
        <p>
          Its script could not be loaded, or failed. The service may have been upgraded or restarted since you opened the console, or cannot
          be reached. Nothing that was saved is lost.
        </p>
        <p>
          <Mono>{error instanceof Error ? error.message : 'It gave no reason.'}</Mono>
        </p>
        <p>
          <Button onPress={() => window.location.reload()}>Load it again</Button>
        </p>
      </Page>
    );
  }
}

/** A page that fails leaves the others usable. */
export function WithoutFailure({ children }: Props) {
  const { pathname } = useLocation();
  return <Boundary key={pathname}>{children}</Boundary>;
}
