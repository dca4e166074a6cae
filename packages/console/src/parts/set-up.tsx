import { NavLink } from 'react-router';
import { isManager, useSession } from '../session.js';
import { Tabs } from './list.js';

/** The pages of the step Set up. `of`: who can use them. */
const PAGES: readonly (readonly [to: string, name: string, of: 'all' | 'managers' | 'operators'])[] = [
  ['domains', 'Domains', 'all'],
  ['senders', 'Senders', 'all'],
  ['topics', 'Topics', 'all'],
  ['keys', 'Keys', 'managers'],
  ['people', 'People', 'all'],
  ['spaces', 'Spaces', 'all'],
  ['providers', 'Providers', 'all'],
  ['quarantine', 'Quarantine', 'all'],
  ['backups', 'Backups', 'operators'],
  ['cluster', 'Cluster', 'operators'],
  ['configuration', 'Configuration', 'operators'],
  ['audit', 'Audit log', 'managers'],
  ['health', 'Health', 'operators'],
];

/** The pages of the step Set up that one may use. */
export function SetUpTabs() {
  const session = useSession();
  const may = { all: true, managers: isManager(session), operators: session.operator };
  return (
    <Tabs aria-label="Set up">
      {PAGES.map(([to, name, of]) =>
        may[of] ? (
          <NavLink key={to} to={`/set-up/${to}`}>
            {name}
          </NavLink>
        ) : null,
      )}
    </Tabs>
  );
}
