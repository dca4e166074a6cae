import { Link } from 'react-router';
import { Fault, Mono, When } from '../parts/basics.js';
import { Small } from '../parts/form.js';
import { Older, usePages } from '../parts/pages.js';
import { PlainTable } from '../parts/plain-table.js';
import { useSession } from '../session.js';

const REFRESH_MS = 5000;

/** What waits for the date that the app or a person named. */
export function Planned() {
  const { client, space } = useSession();
  const pages = usePages({
    key: ['planned', space.name],
    read: (page) => client.queue.planned(page),
    rowsOf: ({ deliveries }) => deliveries,
    refreshMs: REFRESH_MS,
  });
  if (pages.error !== null) return <Fault error={pages.error} />;
  return (
    <>
      <h2>Planned</h2>
      <p>
        <Small>
          {pages.isSuccess && pages.rows.length === 0
            ? 'No message is planned. One with notBefore is listed here until that time.'
            : 'The next one first. The page of a message sets another time, or cancels it.'}
        </Small>
      </p>
      {pages.rows.length > 0 && (
        <PlainTable
          label="Planned"
          rows={pages.rows}
          id={({ id }) => id}
          columns={[
            { title: 'Subject', show: ({ messageId, subject }) => <Link to={`/track/messages/${messageId}`}>{subject}</Link> },
            { title: 'To', show: ({ address }) => <Mono>{address}</Mono> },
            { title: 'Template', show: ({ template }) => (template === '' ? 'the app itself' : template) },
            {
              title: 'When',
              show: ({ notBefore, held }) => (
                <>
                  <When at={notBefore} />
                  {held && <Small> held</Small>}
                </>
              ),
            },
          ]}
        />
      )}
      <Older pages={pages}>Later ones</Older>
    </>
  );
}
