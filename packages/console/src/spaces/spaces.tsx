import { Mono } from '../parts/basics.js';
import { PlainTable } from '../parts/plain-table.js';
import { SetUpTabs } from '../parts/set-up.js';
import { useSession } from '../session.js';

/** The spaces that one may see, and what each does with its email. */
export function Spaces() {
  const { spaces } = useSession();
  return (
    <>
      <SetUpTabs />
      <h1>Spaces</h1>
      <PlainTable
        label="Spaces"
        rows={spaces}
        id={({ name }) => name}
        columns={[
          { title: 'Space', show: ({ name }) => <a href={`/in/${name}/track`}>{name}</a> },
          { title: 'Email', show: ({ mode }) => (mode === 'capture' ? '◇ is captured: nothing leaves' : '● is delivered') },
          {
            title: 'Recipients',
            show: ({ allowed, redirectTo }) =>
              allowed === undefined
                ? 'everybody'
                : `only ${allowed.join(', ')}; the rest ${redirectTo === undefined ? 'is captured' : `goes to ${redirectTo}`}`,
          },
          { title: 'Subjects', show: ({ mark }) => (mark === undefined ? 'as they are' : `marked “${mark}”`) },
          { title: 'Copy to', show: ({ archive }) => (archive === undefined ? '' : <Mono>{archive}</Mono>) },
          { title: 'Your role', show: ({ role }) => role ?? '' },
        ]}
      />
      <p>Spaces are in verbalis.yaml, under “spaces”.</p>
    </>
  );
}
