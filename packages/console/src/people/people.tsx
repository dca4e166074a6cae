import type { Client, Grant, InvitedPerson, PersonView } from '@verbalis/client';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import styled from 'styled-components';
import { Button, Empty, Fault, Mono, Note, When } from '../parts/basics.js';
import { Confirm } from '../parts/confirm.js';
import { Copied } from '../parts/copy.js';
import { Field, Section, Small } from '../parts/form.js';
import { Head } from '../parts/list.js';
import { PlainTable } from '../parts/plain-table.js';
import { SaveCsv } from '../parts/save-csv.js';
import { SetUpTabs } from '../parts/set-up.js';
import { useSession } from '../session.js';
import { grantText, Grants } from './grants.js';
import { Sessions } from './sessions.js';

/** Side by side where there is room for a table; a wrapped button would look like a choice apart. */
const Buttons = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  @media (min-width: 1000px) {
    flex-wrap: nowrap;
  }
`;

const Handed = styled.div`
  display: grid;
  gap: 8px;
  overflow-wrap: anywhere;
`;

/** Where the link of an invitation is. */
function Invitation({ invited: { email, invitation } }: { readonly invited: InvitedPerson }) {
  if (invitation.url === undefined)
    return (
      <p role="status">
        A link is on its way to {email}, through the space {invitation.sentThrough}. It works once, until <When at={invitation.endsAt} />.
      </p>
    );
  return (
    <Handed role="status">
      <p>
        Hand this link over to {email}. Anybody who opens it signs in as them, once, until <When at={invitation.endsAt} />.
      </p>
      <Copied text={invitation.url} name="the link" />
    </Handed>
  );
}

/** What can be done with one person. */
function Actions({ person, onInvited }: { readonly person: PersonView; readonly onInvited: (invited: InvitedPerson) => void }) {
  const { client, person: own } = useSession();
  const queries = useQueryClient();
  const [isOpen, setIsOpen] = useState(false);
  const refresh = () => queries.invalidateQueries({ queryKey: ['people'] });
  const change = useMutation({
    mutationFn: (grants: Grant[]) => client.people.change(person.id, { grants }),
    onSuccess: async () => {
      setIsOpen(false);
      await refresh();
    },
  });
  const again = useMutation({ mutationFn: () => client.people.link(person.id, { send: true }), onSuccess: onInvited });
  const remove = useMutation({ mutationFn: () => client.people.remove(person.id), onSuccess: refresh });
  if (own?.id === person.id) return <Small>This is you</Small>;
  const fault = change.error ?? again.error ?? remove.error;
  return (
    <>
      <Buttons>
        <Button $quiet aria-label={`Change the roles of ${person.email}`} aria-expanded={isOpen} onPress={() => setIsOpen(!isOpen)}>
          Roles
        </Button>
        <Button $quiet aria-label={`Send ${person.email} a new link`} onPress={() => again.mutate()} isDisabled={again.isPending}>
          New link
        </Button>
        <Confirm
          label="Remove"
          name={`Remove ${person.email}`}
          title={`Remove ${person.email}?`}
          words="Their sessions and links end immediately. Their actions stay in the audit log."
          onConfirm={() => remove.mutate()}
        />
      </Buttons>
      {isOpen && (
        <Section
          aria-label={`Roles of ${person.email}`}
          onSubmit={(event) => {
            event.preventDefault();
            change.mutate(Grants.read(new FormData(event.currentTarget)));
          }}
        >
          <Grants given={person.grants} />
          <div>
            <Button type="submit" isDisabled={change.isPending}>
              Save the roles
            </Button>
          </div>
        </Section>
      )}
      {fault !== null && <Fault error={fault} />}
    </>
  );
}

type NewPerson = Parameters<Client['people']['invite']>[0];

function Invite({ onInvited }: { readonly onInvited: (invited: InvitedPerson) => void }) {
  const { client } = useSession();
  const queries = useQueryClient();
  const [key, setKey] = useState(0);
  const invite = useMutation({
    mutationFn: (wanted: NewPerson) => client.people.invite(wanted),
    onSuccess: async (invited) => {
      setKey((before) => before + 1);
      onInvited(invited);
      await queries.invalidateQueries({ queryKey: ['people'] });
    },
  });
  return (
    <Section
      key={key}
      aria-label="Invite a person"
      onSubmit={(event) => {
        event.preventDefault();
        const form = new FormData(event.currentTarget);
        const of = (name: string): string => {
          const value = form.get(name);
          return typeof value === 'string' ? value.trim() : '';
        };
        invite.mutate({ email: of('email'), name: of('name'), grants: Grants.read(form), send: form.get('hand-over') === null });
      }}
    >
      <h2>Invite a person</h2>
      <Field name="email" label="Address" required />
      <Field name="name" label="Name" />
      <Grants given={[]} />
      <label>
        <input type="checkbox" name="hand-over" /> Show me the link instead of sending it
      </label>
      <div>
        <Button type="submit" isDisabled={invite.isPending}>
          Invite
        </Button>
      </div>
      {invite.error !== null && <Fault error={invite.error} />}
    </Section>
  );
}

function Everybody() {
  const { client } = useSession();
  const [invited, setInvited] = useState<InvitedPerson>();
  const { data, error } = useQuery({ queryKey: ['people'], queryFn: () => client.people.list() });
  const people = data?.people ?? [];
  return (
    <>
      <Head>
        <h1>People</h1>
        {people.length > 0 && (
          <SaveCsv
            name="people"
            columns={[
              ['email', ({ email }) => email],
              ['name', ({ name }) => name],
              ['roles', ({ grants }) => grants.map(grantText).join(', ')],
              ['lastSignInAt', ({ lastSignInAt }) => lastSignInAt ?? ''],
              ['invitedBy', ({ invitedBy }) => invitedBy],
            ]}
            all={() => [people]}
          />
        )}
      </Head>
      {error !== null && <Fault error={error} />}
      {data !== undefined && people.length === 0 && (
        <Empty title="No one is invited yet" command="verbalis people invite mara.voss@saltmarsh-ferries.example --role harbour=member">
          Everybody who uses the console gets a session and a role of their own, so that what was done has a name and can be ended.
        </Empty>
      )}
      {people.length > 0 && (
        <PlainTable
          label="People"
          rows={people}
          id={({ id }) => id}
          columns={[
            { title: 'Address', isWhole: true, show: ({ email }) => <Mono>{email}</Mono> },
            { title: 'Name', isWhole: true, show: ({ name }) => name },
            { title: 'Roles', show: ({ grants }) => grants.map(grantText).join(', ') },
            {
              title: 'Signed in',
              show: ({ lastSignInAt, createdAt }) =>
                lastSignInAt === undefined ? (
                  <>
                    not yet, invited <When at={createdAt} />
                  </>
                ) : (
                  <When at={lastSignInAt} />
                ),
            },
            { title: 'Change', isQuiet: true, show: (person) => <Actions person={person} onInvited={setInvited} /> },
          ]}
        />
      )}
      {invited !== undefined && <Invitation invited={invited} />}
      <Invite onInvited={setInvited} />
    </>
  );
}

/** Who may sign in, and which sessions are open. */
export function People() {
  const { operator } = useSession();
  return (
    <>
      <SetUpTabs />
      {operator ? (
        <Everybody />
      ) : (
        <>
          <h1>Your sessions</h1>
          <Note>People and their roles are administered by operators of every space.</Note>
        </>
      )}
      <Sessions />
    </>
  );
}
