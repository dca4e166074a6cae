import type { DomainView } from '@verbalis/client';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useNavigate, useParams } from 'react-router';
import styled from 'styled-components';
import { Button, Fault, When } from '../parts/basics.js';
import { Confirm } from '../parts/confirm.js';
import { Copied, CopyButton } from '../parts/copy.js';
import { Small } from '../parts/form.js';
import { SetUpTabs } from '../parts/set-up.js';
import { useSession } from '../session.js';
import { color } from '../style.js';
import { exactTime } from '../words.js';
import { RecordBox } from './record.js';
import { Reports } from './reports.js';
import { Verification } from './verification.js';
import { attentionFirst, DomainState, summaryOf } from './words.js';

const Top = styled.div`
  display: grid;
  gap: 16px;
  margin-bottom: 24px;
  > div {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 12px;
    align-items: baseline;
  }
  ul {
    margin: 0;
    padding-left: 20px;
    max-width: 820px;
  }
`;

const Facts = styled.p`
  color: ${color.soft};
  max-width: 820px;
`;

const KEY_WORDS: Readonly<Record<DomainView['keys'][number]['state'], string>> = {
  waiting: 'waits for its record',
  published: 'is published',
  signing: 'signs',
  lost: 'signs, and its record is missing',
  retired: 'is replaced',
};

function keyText({ selector, state, signsFrom, neededUntil }: DomainView['keys'][number]): string {
  const more =
    signsFrom !== undefined
      ? `; it signs from ${exactTime(signsFrom)} on`
      : neededUntil !== undefined
        ? `; its record stays until ${exactTime(neededUntil)}`
        : '';
  return `${selector} ${KEY_WORDS[state]}${more}`;
}

/** One domain: its records with what is wrong, and what can be done. */
export function Domain() {
  const { name = '' } = useParams();
  const { client } = useSession();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const key = ['domains', name];
  const { data, error } = useQuery({ queryKey: key, queryFn: () => client.domains.get(name), refetchInterval: 5000 });
  const show = (domain: DomainView): void => {
    queries.setQueryData(key, domain);
  };
  const check = useMutation({ mutationFn: () => client.domains.check(name), onSuccess: show });
  const rotate = useMutation({ mutationFn: () => client.domains.rotate(name), onSuccess: show });
  const share = useMutation({ mutationFn: () => client.domains.share(name, { days: 14 }) });
  const unshare = useMutation({ mutationFn: () => client.domains.unshare(name), onSuccess: () => share.reset() });
  const remove = useMutation({
    mutationFn: () => client.domains.remove(name),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ['domains'] });
      void navigate('/set-up/domains');
    },
  });
  const fault = error ?? check.error ?? rotate.error ?? share.error ?? unshare.error ?? remove.error;
  return (
    <>
      <SetUpTabs />
      <Top>
        <h1>{name}</h1>
        {fault !== null && <Fault error={fault} />}
        {data !== undefined && (
          <>
            <div>
              <DomainState state={data.state} />
              <span>{summaryOf(data)}</span>
              {data.checkedAt !== undefined && (
                <Small>
                  Checked <When at={data.checkedAt} />
                </Small>
              )}
            </div>
            <Facts>
              {data.keys.map(keyText).join('. ')}. Bounces come back to{' '}
              {data.returnHostLive ? data.returnHost : `the return host of the service until ${data.returnHost} is right`}.
            </Facts>
            {data.notes.length > 0 && (
              <ul>
                {data.notes.map((note) => (
                  <li key={note}>{note}</li>
                ))}
              </ul>
            )}
            <div>
              <Button onPress={() => check.mutate()} isDisabled={check.isPending}>
                {check.isPending ? 'Checking…' : 'Check again'}
              </Button>
              <CopyButton text={data.records.map(({ zoneLine }) => zoneLine).join('\n')} label="Copy all as a zone file" />
              <Button $quiet onPress={() => share.mutate()}>
                Share with the owner of the DNS
              </Button>
              <Confirm
                label="Rotate keys"
                title={`Make new keys for ${name}?`}
                words="They take over when they are published. Until then the old ones sign."
                action="Make new keys"
                onConfirm={() => rotate.mutate()}
              />
              <Confirm
                label="Remove"
                name={`Remove ${name}`}
                title={`Remove ${name}?`}
                words="Its keys are deleted, and its email is no longer signed."
                onConfirm={() => remove.mutate()}
              />
            </div>
            {share.data !== undefined && (
              <div role="status">
                <Copied text={share.data.url} name="the address" />
                <Small>It shows the records without a sign-in until {exactTime(share.data.expiresAt)}.</Small>{' '}
                <Confirm
                  label="End all shared pages"
                  title={`End all shared pages of ${name}?`}
                  words="Their addresses stop working."
                  action="End them"
                  onConfirm={() => unshare.mutate()}
                />
              </div>
            )}
          </>
        )}
      </Top>
      {attentionFirst(data?.records ?? []).map((record) => (
        <RecordBox key={`${record.type} ${record.name}`} record={record} />
      ))}
      {data !== undefined && <Verification key={name} name={name} />}
      {data !== undefined && <Reports key={`${name} reports`} name={name} />}
    </>
  );
}
