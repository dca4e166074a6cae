import type { Grant } from '@verbalis/client';
import styled from 'styled-components';
import { useSession } from '../session.js';
import { color, font } from '../style.js';

const ROLES = [
  ['', 'no role'],
  ['viewer', 'viewer: what was sent, and what came of it'],
  ['viewer+content', 'viewer who also sees what emails say'],
  ['member', 'member: sends and changes'],
  ['operator', 'operator: also keys'],
] as const;
/** Stands for every space, also those that are added later. */
const EVERY = '*';

/** A grant in words: "harbour: member". */
export function grantText({ space, role, content }: Grant): string {
  return `${space === EVERY ? 'every space' : space}: ${role}${role === 'viewer' && content ? ' with content' : ''}`;
}

const Lines = styled.fieldset`
  border: 0;
  padding: 0;
  margin: 0;
  display: grid;
  gap: 8px;
  legend {
    padding: 0;
    font-weight: 600;
    margin-bottom: 8px;
  }
  label {
    display: grid;
    grid-template-columns: minmax(110px, 180px) minmax(0, 1fr);
    gap: 4px 12px;
    align-items: baseline;
    font-weight: 400;
  }
  select {
    font: 15px/24px ${font.sans};
    padding: 5px 8px;
    max-width: 380px;
    width: 100%;
    color: ${color.text};
    background: ${color.raised};
    border: 1px solid ${color.soft};
    border-radius: 6px;
  }
`;

const nameOf = (space: string): string => `role of ${space}`;
const valueOf = (grant: Grant | undefined): string =>
  grant === undefined ? '' : grant.role === 'viewer' && grant.content ? 'viewer+content' : grant.role;

/** A role for each space, and for all. */
export function Grants({ given }: { readonly given: readonly Grant[] }) {
  const { spaces } = useSession();
  return (
    <Lines>
      <legend>Roles</legend>
      {[EVERY, ...spaces.map(({ name }) => name)].map((space) => (
        <label key={space}>
          <span>{space === EVERY ? 'Every space' : space}</span>
          <select
            aria-label={`Role in ${space === EVERY ? 'every space' : space}`}
            name={nameOf(space)}
            defaultValue={valueOf(given.find((grant) => grant.space === space))}
          >
            {ROLES.map(([value, words]) => (
              <option key={value} value={value}>
                {space === EVERY && value === 'operator' ? 'operator: also domains, providers, people' : words}
              </option>
            ))}
          </select>
        </label>
      ))}
    </Lines>
  );
}

/** The grants of a form. */
Grants.read = (form: FormData): Grant[] =>
  [...form.entries()].flatMap(([name, value]) => {
    const space = /^role of (.+)$/.exec(name)?.[1];
    if (space === undefined || typeof value !== 'string' || value === '') return [];
    const [role = '', content] = value.split('+');
    return [{ space, role: role as Grant['role'], content: content !== undefined }];
  });
