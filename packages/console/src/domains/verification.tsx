import { RefusedError, type DomainVerification } from '@verbalis/client';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import styled from 'styled-components';
import { Button, Fault, When } from '../parts/basics.js';
import { Small } from '../parts/form.js';
import { useSession } from '../session.js';
import { color, font } from '../style.js';

const Box = styled.section`
  border-top: 1px solid ${color.hair};
  padding: 20px 0;
  display: grid;
  gap: 12px;
  max-width: 820px;
  ul {
    list-style: none;
    margin: 0;
    padding: 0;
    display: grid;
    gap: 12px;
  }
  li {
    display: grid;
    grid-template-columns: 24px minmax(0, 1fr);
  }
`;

const Sign = styled.span<{ $color: string }>`
  color: ${({ $color }) => $color};
  font: 600 16px/24px ${font.mono};
`;

const SIGNS = {
  right: ['✓', color.good, 'Right'],
  wrong: ['✕', color.bad, 'Wrong'],
  advice: ['!', color.wait, 'Could be better'],
} as const;

function Outcome({ outcome }: { readonly outcome: DomainVerification }) {
  if (outcome.state !== 'arrived')
    return (
      <p role="status">
        {outcome.state === 'failed'
          ? 'The test email could not be delivered.'
          : 'The test email is under way; it comes back in seconds to minutes.'}{' '}
        {outcome.delivery?.diagnostic}
      </p>
    );
  return (
    <>
      <Small as="p">
        It came back <When at={outcome.arrivedAt ?? outcome.startedAt} />.
      </Small>
      <ul>
        {outcome.results.map(({ state, sentence, hint }) => {
          const [sign, hue, words] = SIGNS[state];
          return (
            <li key={sentence}>
              <Sign $color={hue} role="img" aria-label={words}>
                {sign}
              </Sign>
              <span>
                {sentence}
                {hint !== undefined && <Small as="p">{hint}</Small>}
              </span>
            </li>
          );
        })}
      </ul>
    </>
  );
}

/** A test email through the route of the space: sent, and judged as a receiver would. */
export function Verification({ name }: { readonly name: string }) {
  const { client } = useSession();
  const queries = useQueryClient();
  const key = ['verification', name];
  const { data } = useQuery({
    queryKey: key,
    queryFn: () =>
      client.domains.verification(name).catch((error: unknown) => {
        if (error instanceof RefusedError && error.problem.status === 404) return null;
        throw error;
      }),
    refetchInterval: ({ state }) => (state.data?.state === 'under-way' ? 1000 : false),
  });
  const verify = useMutation({
    mutationFn: () => client.domains.verify(name),
    onSuccess: (outcome) => queries.setQueryData(key, outcome),
  });
  return (
    <Box aria-labelledby="verification">
      <h2 id="verification">Test email</h2>
      <Small as="p">It takes the way of any other email of {name}, comes back to this service, and is judged as a receiver would.</Small>
      <div>
        <Button $quiet onPress={() => verify.mutate()} isDisabled={verify.isPending}>
          Send a test email
        </Button>
      </div>
      {verify.error !== null && <Fault error={verify.error} />}
      {data !== undefined && data !== null && <Outcome outcome={data} />}
    </Box>
  );
}
