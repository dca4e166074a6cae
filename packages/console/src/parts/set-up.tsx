import { NavLink } from 'react-router';
import { Empty } from './basics.js';
import { Tabs } from './list.js';

/** The pages of the step Set up. */
export function SetUpTabs() {
  return (
    <Tabs aria-label="Set up">
      <NavLink to="/set-up/domains">Domains</NavLink>
      <NavLink to="/set-up/senders">Senders</NavLink>
      <NavLink to="/set-up/topics">Topics</NavLink>
      <NavLink to="/set-up/keys">Keys</NavLink>
    </Tabs>
  );
}

/** Keys are made on the command line: what they are, and the command to do it. */
export function Keys() {
  return (
    <>
      <SetUpTabs />
      <h1>Keys</h1>
      <Empty title="A key for each app" command="verbalis keys add shop --space harbour --scopes send,read">
        Spaces, providers and routes are in verbalis.yaml. Keys are made on the command line with the operator’s secret and shown once.
      </Empty>
    </>
  );
}
