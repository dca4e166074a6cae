import { useSession } from '../session.js';
import { Tabs } from '../parts/list.js';
import { NavLink } from 'react-router';

/** The pages of the step Write. */
export function WriteTabs() {
  const { folder } = useSession();
  if (folder !== undefined) return null;
  return (
    <Tabs aria-label="Write">
      <NavLink to="/write" end>
        Templates
      </NavLink>
      <NavLink to="/write/editions">Editions</NavLink>
    </Tabs>
  );
}
