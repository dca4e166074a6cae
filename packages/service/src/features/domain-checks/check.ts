import { createHash } from 'node:crypto';
import {
  judgeOldKey,
  judgeRecord,
  neededUntil,
  wantedRecords,
  type DomainNeeds,
  type NameServers,
  type RecordVerdict,
  type WantedRecord,
  type ZoneAnswer,
} from '@verbalis/core/domains';
import type { SendingDomain, SigningKeyRow } from '../domains/index.js';
import type { CheckedRecord, DomainState, KeptAnswer } from './tables.js';

/** What a check has found. */
export interface Checked {
  readonly verdicts: readonly RecordVerdict[];
  readonly records: readonly CheckedRecord[];
  readonly state: DomainState;
  readonly answers: readonly KeptAnswer[];
  /** What it found, without what changes with time. */
  readonly hash: string;
  /** Old keys that are neither needed nor published any more. */
  readonly goneKeys: readonly SigningKeyRow[];
}

/** So many answers of a check are kept, and so much of each. */
const [MOST_ANSWERS, MOST_CHARACTERS] = [300, 2000];

/** Keeps what the name servers say. */
function recording(servers: NameServers): { readonly servers: NameServers; readonly answers: KeptAnswer[] } {
  const answers: KeptAnswer[] = [];
  const seen = new Set<string>();
  const keep = (server: string, question: string, answer: string): void => {
    const key = `${server} ${question}`;
    if (seen.has(key) || answers.length >= MOST_ANSWERS) return;
    seen.add(key);
    answers.push({ server, question, answer: answer.slice(0, MOST_CHARACTERS) });
  };
  return {
    answers,
    servers: {
      serversOf: async (name) => {
        const zone = await servers.serversOf(name);
        keep('', `servers of ${name}`, 'problem' in zone ? zone.problem : `${zone.zone}: ${zone.servers.join(', ')}`);
        return zone;
      },
      askServer: async (server, name, type) => {
        const answer = await servers.askServer(server, name, type);
        keep(server, `${type} ${name}`, inWords(answer));
        return answer;
      },
      askResolver: async (name, type, unchecked) => {
        const answer = await servers.askResolver(name, type, unchecked);
        keep('', `${type} ${name}${unchecked === true ? ' (DNSSEC not checked)' : ''}`, inWords(answer));
        return answer;
      },
    },
  };
}

function inWords(answer: ZoneAnswer): string {
  const alias = 'alias' in answer ? `CNAME ${answer.alias}; ` : '';
  if (answer.status === 'failed') return answer.why;
  if (answer.status === 'none') return `${alias}${answer.isNameMissing ? 'no such name' : 'no such record'}`;
  return alias + answer.records.map(({ value, priority }) => (priority === undefined ? value : `${priority} ${value}`)).join('\n');
}

/** Checks a domain: asks for each record that it needs, and for keys that it does not need any more. */
export async function checkDomain(
  domain: SendingDomain,
  { needs, nameServers, now }: { readonly needs: DomainNeeds; readonly nameServers: NameServers; readonly now: number },
  before: readonly CheckedRecord[],
): Promise<Checked> {
  const { servers, answers } = recording(nameServers);
  const verdicts = await Promise.all(wantedRecords(needs).records.map((wanted) => judgeRecord(wanted, needs, servers)));
  const records = verdicts.map((verdict) => checked(verdict, before));
  const goneKeys: SigningKeyRow[] = [];
  for (const key of domain.keys) {
    const until = neededUntil(key);
    if (until === undefined || now < until) continue;
    const wanted = oldKey(domain.name, key);
    const found = await judgeOldKey(wanted, servers);
    if (found === undefined) goneKeys.push(key);
    else records.push({ ...shown(wanted), state: 'right', known: 'right', findings: [found] });
  }
  const required = records.filter(({ isRequired }) => isRequired);
  const isOpen = required.some(({ state }) => state === 'wrong' || state === 'missing');
  const state = isOpen ? 'open' : required.some(({ state: own }) => own === 'unknown') ? 'unknown' : 'right';
  const essence = records.map(({ name, type, state: own, findings }) => [
    name,
    type,
    own,
    findings.map(({ kind, found }) => [kind, found]),
  ]);
  const hash = createHash('sha256')
    .update(JSON.stringify([essence, answers.map(({ server, question, answer }) => [server, question, answer]).sort()]))
    .digest('hex');
  return { verdicts, records, state, answers, hash, goneKeys };
}

const shown = ({ purpose, record, isRequired }: WantedRecord): Pick<CheckedRecord, 'purpose' | 'type' | 'name' | 'isRequired'> => ({
  purpose,
  type: record.type,
  name: record.name,
  isRequired,
});

function checked({ wanted, state, findings }: RecordVerdict, before: readonly CheckedRecord[]): CheckedRecord {
  const { name, type } = wanted.record;
  const last = before.find((record) => record.name === name && record.type === type);
  return { ...shown(wanted), state, known: state === 'unknown' ? (last?.known ?? 'unknown') : state, findings };
}

function oldKey(domain: string, { selector, record }: SigningKeyRow): WantedRecord {
  return {
    purpose: 'dkim',
    record: { type: 'TXT', name: `${selector}._domainkey.${domain}`, text: record },
    isRequired: false,
    selector,
    provider: undefined,
    terms: [],
  };
}
