import type { DnsAsk, DnsType } from '@verbalis/core/authentication';

/** Records by name and type; "!" for servers that do not answer. */
export type Zone = Readonly<Record<string, Partial<Record<DnsType, readonly string[] | '!'>>>>;

export interface SpfCase {
  readonly about: string;
  /** The TXT records of x.example; "!" for servers that do not answer. */
  readonly record: string | readonly string[];
  readonly ip?: string;
  readonly sender?: string;
  readonly helo?: string;
  readonly zone?: Zone;
  readonly result: string;
  readonly explanation?: string;
}

/** Names that cases share. */
const WORLD: Zone = {
  'x.example': { A: ['192.0.2.1', '192.0.2.2'], AAAA: ['2001:db8::1'], MX: ['mx1.x.example', 'mx2.x.example'] },
  'mx1.x.example': { A: ['198.51.100.1'], AAAA: ['2001:db8:1::1'] },
  'mx2.x.example': { A: ['198.51.100.2'], AAAA: ['2001:db8:1::2'] },
  'host.x.example': { A: ['203.0.113.7'], AAAA: ['2001:db8:2::7'] },
  'other.example': { A: ['203.0.113.50'], MX: ['mx1.x.example'] },
  'dead.example': { A: '!', AAAA: '!', MX: '!', TXT: '!' },
  'pass.example': { TXT: ['v=spf1 +all'] },
  'fail.example': { TXT: ['v=spf1 -all'] },
  'soft.example': { TXT: ['v=spf1 ~all'] },
  'neutral.example': { TXT: ['v=spf1 ?all'] },
  'silent.example': { TXT: ['v=spf1'] },
  'broken.example': { TXT: ['v=spf1 nonsense'] },
  'twice.example': { TXT: ['v=spf1 -all', 'v=spf1 +all'] },
  'text.example': { TXT: ['some text', 'v=spf10 +all'] },
  'ours.example': { TXT: ['v=spf1 ip4:192.0.2.0/24 -all'] },
  'why.example': { TXT: ['%{i} is not one of the hosts of %{d}, asked by %{r} at %{t}. 100%% sure.'] },
  'many.example': { MX: Array.from({ length: 11 }, (_, i) => `m${i}.many.example`) },
  'ten.example': { MX: Array.from({ length: 10 }, (_, i) => `m${i}.many.example`) },
  ...Object.fromEntries(Array.from({ length: 11 }, (_, i) => [`m${i}.many.example`, { A: [`198.51.100.${100 + i}`] }])),
  '1.2.0.192.in-addr.arpa': { PTR: ['host1.x.example', 'liar.other.example'] },
  'host1.x.example': { A: ['192.0.2.1'] },
  'liar.other.example': { A: ['203.0.113.99'] },
  '9.2.0.192.in-addr.arpa': { PTR: '!' },
  '8.2.0.192.in-addr.arpa': { PTR: ['dead.example', 'ok.x.example'] },
  'ok.x.example': { A: ['192.0.2.8'] },
  '1.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.8.b.d.0.1.0.0.2.ip6.arpa': { PTR: ['six.x.example'] },
  'six.x.example': { AAAA: ['2001:db8::1'] },
  ...Object.fromEntries(Array.from({ length: 12 }, (_, i) => [`i${i}.example`, { TXT: [`v=spf1 include:i${i + 1}.example`] }])),
  'i12.example': { TXT: ['v=spf1 ?all'] },
  'loop.example': { TXT: ['v=spf1 include:loop.example -all'] },
  'turn.example': { TXT: ['v=spf1 redirect=turn.example'] },
};

const IP = '192.0.2.1';
const IP6 = '2001:db8::1';
const rows = (about: string, list: readonly (readonly [record: SpfCase['record'], result: string, more?: Partial<SpfCase>])[]): SpfCase[] =>
  list.map(([record, result, more]) => ({
    about: `${about}: ${String(record)}${more === undefined ? '' : ` ${JSON.stringify(more).slice(0, 80)}`}`,
    record,
    result,
    ...more,
  }));

export const SPF_CASES: readonly SpfCase[] = [
  ...rows('records', [
    ['!', 'temperror'],
    [[], 'none'],
    [['a text'], 'none'],
    [['v=spf1 -all', 'a text'], 'fail'],
    [['v=spf1 -all', 'v=spf1 +all'], 'permerror'],
    ['v=spf1', 'neutral'],
    ['v=spf1 ', 'neutral'],
    ['V=SPF1 -all', 'fail'],
    ['v=spf10 -all', 'none'],
    ['v=spf1-all', 'none'],
    [' v=spf1 -all', 'none'],
    ['spf1 -all', 'none'],
    ['v=spf1  -all  ', 'fail'],
    ['v=spf1\t-all', 'none'],
    ['v=spf1 -all\t', 'permerror'],
    ['v=spf1 -all', 'fail', { sender: 'a@x.example.' }],
    ['v=spf1 -all', 'fail', { sender: '', helo: 'x.example' }],
    ['v=spf1 -all', 'none', { sender: '', helo: 'localhost' }],
    ['v=spf1 -all', 'none', { sender: 'a@nowhere.example' }],
    ['v=spf1 -all', 'none', { sender: `a@${'l'.repeat(64)}.example` }],
    ['v=spf1 -all', 'none', { sender: 'a@x..example' }],
  ]),
  ...rows('all', [
    ['v=spf1 all', 'pass'],
    ['v=spf1 +all', 'pass'],
    ['v=spf1 -all', 'fail'],
    ['v=spf1 ~all', 'softfail'],
    ['v=spf1 ?all', 'neutral'],
    ['v=spf1 ALL', 'pass'],
    ['v=spf1 all:x.example', 'permerror'],
    ['v=spf1 all/8', 'permerror'],
    ['v=spf1 -all +all', 'fail'],
    ['v=spf1 -all nonsense', 'permerror'],
    ['v=spf1 --all', 'permerror'],
    ['v=spf1 all.', 'permerror'],
  ]),
  ...rows('ip4', [
    ['v=spf1 ip4:192.0.2.1 -all', 'pass'],
    ['v=spf1 ip4:192.0.2.2 -all', 'fail'],
    ['v=spf1 ip4:192.0.2.0/24 -all', 'pass'],
    ['v=spf1 ip4:192.0.2.128/24 -all', 'pass'],
    ['v=spf1 ip4:192.0.2.2/31 -all', 'fail'],
    ['v=spf1 ip4:192.0.2.0/31 -all', 'pass'],
    ['v=spf1 ip4:10.0.0.0/0 -all', 'pass'],
    ['v=spf1 ip4:192.0.2.1/32 -all', 'pass'],
    ['v=spf1 ip4:192.0.2.1/33 -all', 'permerror'],
    ['v=spf1 ip4:192.0.2.1/024 -all', 'permerror'],
    ['v=spf1 ip4:192.0.2.1/ -all', 'permerror'],
    ['v=spf1 ip4:192.0.2.1//32 -all', 'permerror'],
    ['v=spf1 ip4:192.0.2 -all', 'permerror'],
    ['v=spf1 ip4:192.0.2.1.1 -all', 'permerror'],
    ['v=spf1 ip4:192.0.2.256 -all', 'permerror'],
    ['v=spf1 ip4:192.0.02.1 -all', 'permerror'],
    ['v=spf1 ip4: -all', 'permerror'],
    ['v=spf1 ip4 -all', 'permerror'],
    ['v=spf1 ip4:x.example -all', 'permerror'],
    ['v=spf1 ip4:2001:db8::1 -all', 'permerror'],
    ['v=spf1 -ip4:192.0.2.1 +all', 'fail'],
    ['v=spf1 ~ip4:192.0.2.1 +all', 'softfail'],
    ['v=spf1 ip4:192.0.2.1 -all', 'fail', { ip: IP6 }],
    ['v=spf1 ip4:192.0.2.1 -all', 'pass', { ip: '::ffff:192.0.2.1' }],
    ['v=spf1 ip4:0.0.0.0/0 -all', 'fail', { ip: IP6 }],
  ]),
  ...rows('ip6', [
    ['v=spf1 ip6:2001:db8::1 -all', 'pass', { ip: IP6 }],
    ['v=spf1 ip6:2001:db8::2 -all', 'fail', { ip: IP6 }],
    ['v=spf1 ip6:2001:db8::/32 -all', 'pass', { ip: IP6 }],
    ['v=spf1 ip6:2001:db8::/0 -all', 'pass', { ip: IP6 }],
    ['v=spf1 ip6:2001:db8::/128 -all', 'fail', { ip: IP6 }],
    ['v=spf1 ip6:2001:db8::/129 -all', 'permerror', { ip: IP6 }],
    ['v=spf1 ip6:2001:db8::1/ -all', 'permerror', { ip: IP6 }],
    ['v=spf1 ip6:2001:DB8:0:0::1 -all', 'pass', { ip: IP6 }],
    ['v=spf1 ip6:2001:db8:::1 -all', 'permerror', { ip: IP6 }],
    ['v=spf1 ip6:2001:db8::g -all', 'permerror', { ip: IP6 }],
    ['v=spf1 ip6 -all', 'permerror', { ip: IP6 }],
    ['v=spf1 ip6:192.0.2.1 -all', 'permerror', { ip: IP6 }],
    ['v=spf1 ip6:2001:db8::1 -all', 'fail'],
    ['v=spf1 ip6:::/0 -all', 'fail'],
    ['v=spf1 ip6:2001:db8::1/127 -all', 'pass', { ip: '2001:db8::' }],
  ]),
  ...rows('a', [
    ['v=spf1 a -all', 'pass'],
    ['v=spf1 A -all', 'pass'],
    ['v=spf1 a -all', 'fail', { ip: '192.0.2.3' }],
    ['v=spf1 a/24 -all', 'pass', { ip: '192.0.2.200' }],
    ['v=spf1 a//64 -all', 'pass', { ip: '2001:db8::ffff' }],
    ['v=spf1 a/24//64 -all', 'pass', { ip: '2001:db8::ffff' }],
    ['v=spf1 a/24//64 -all', 'pass', { ip: '192.0.2.9' }],
    ['v=spf1 a/0 -all', 'pass', { ip: '10.9.9.9' }],
    ['v=spf1 a//0 -all', 'pass', { ip: '2001:dead::1' }],
    ['v=spf1 a/33 -all', 'permerror'],
    ['v=spf1 a//129 -all', 'permerror'],
    ['v=spf1 a/-1 -all', 'permerror'],
    ['v=spf1 a/ -all', 'permerror'],
    ['v=spf1 a: -all', 'permerror'],
    ['v=spf1 a:host.x.example -all', 'pass', { ip: '203.0.113.7' }],
    ['v=spf1 a:HOST.X.EXAMPLE -all', 'pass', { ip: '203.0.113.7' }],
    ['v=spf1 a:host.x.example. -all', 'pass', { ip: '203.0.113.7' }],
    ['v=spf1 a:host.x.example/24 -all', 'pass', { ip: '203.0.113.8' }],
    ['v=spf1 a:host.x.example//64 -all', 'pass', { ip: '2001:db8:2::8' }],
    ['v=spf1 a:nothing.example -all', 'fail'],
    ['v=spf1 a:dead.example -all', 'temperror'],
    ['v=spf1 a:example -all', 'permerror'],
    ['v=spf1 a:x.example.1 -all', 'permerror'],
    ['v=spf1 a:x.-example -all', 'permerror'],
    ['v=spf1 a:192.0.2.1 -all', 'permerror'],
    ['v=spf1 a:%{d} -all', 'pass'],
    ['v=spf1 a:host.%{d} -all', 'pass', { ip: '203.0.113.7' }],
    ['v=spf1 a:%{q} -all', 'permerror'],
    ['v=spf1 a=x.example', 'neutral'],
  ]),
  ...rows('mx', [
    ['v=spf1 mx -all', 'pass', { ip: '198.51.100.2' }],
    ['v=spf1 mx -all', 'fail'],
    ['v=spf1 mx -all', 'pass', { ip: '2001:db8:1::1' }],
    ['v=spf1 mx/24 -all', 'pass', { ip: '198.51.100.77' }],
    ['v=spf1 mx//48 -all', 'pass', { ip: '2001:db8:1::9' }],
    ['v=spf1 mx:other.example -all', 'pass', { ip: '198.51.100.1' }],
    ['v=spf1 mx:other.example/24//48 -all', 'pass', { ip: '198.51.100.9' }],
    ['v=spf1 mx:host.x.example -all', 'fail', { ip: '203.0.113.7' }],
    ['v=spf1 mx:dead.example -all', 'temperror'],
    ['v=spf1 mx:many.example -all', 'permerror'],
    ['v=spf1 mx:ten.example -all', 'pass', { ip: '198.51.100.109' }],
    ['v=spf1 mx: -all', 'permerror'],
    ['v=spf1 mx/99 -all', 'permerror'],
    ['v=spf1 -mx +all', 'fail', { ip: '198.51.100.1' }],
  ]),
  ...rows('ptr', [
    ['v=spf1 ptr -all', 'pass'],
    ['v=spf1 ptr:x.example -all', 'pass'],
    ['v=spf1 ptr:X.Example -all', 'pass'],
    ['v=spf1 ptr:host1.x.example -all', 'pass'],
    ['v=spf1 ptr:other.example -all', 'fail'],
    ['v=spf1 ptr:ample -all', 'permerror'],
    ['v=spf1 ptr -all', 'fail', { ip: '192.0.2.7' }],
    ['v=spf1 ptr -all', 'fail', { ip: '192.0.2.9' }],
    ['v=spf1 ptr -all', 'pass', { ip: '192.0.2.8' }],
    ['v=spf1 ptr -all', 'pass', { ip: IP6 }],
    ['v=spf1 ptr: -all', 'permerror'],
    ['v=spf1 ptr/24 -all', 'permerror'],
  ]),
  ...rows('include', [
    ['v=spf1 include:pass.example -all', 'pass'],
    ['v=spf1 -include:pass.example +all', 'fail'],
    ['v=spf1 include:fail.example ?all', 'neutral'],
    ['v=spf1 include:soft.example -all', 'fail'],
    ['v=spf1 include:neutral.example -all', 'fail'],
    ['v=spf1 include:silent.example -all', 'fail'],
    ['v=spf1 include:broken.example +all', 'permerror'],
    ['v=spf1 include:twice.example +all', 'permerror'],
    ['v=spf1 include:text.example +all', 'permerror'],
    ['v=spf1 include:nothing.example +all', 'permerror'],
    ['v=spf1 include:dead.example +all', 'temperror'],
    ['v=spf1 include +all', 'permerror'],
    ['v=spf1 include: +all', 'permerror'],
    ['v=spf1 include:pass.example/24 +all', 'permerror'],
    ['v=spf1 include:ours.example -all', 'pass'],
    ['v=spf1 include:ours.example ~all', 'softfail', { ip: '203.0.113.1' }],
    ['v=spf1 include:loop.example -all', 'permerror'],
    ['v=spf1 include:i2.example -all', 'permerror'],
    ['v=spf1 include:i3.example -all', 'fail'],
  ]),
  ...rows('exists', [
    ['v=spf1 exists:host.x.example -all', 'pass'],
    ['v=spf1 exists:host.x.example -all', 'pass', { ip: IP6 }],
    ['v=spf1 exists:six.x.example -all', 'fail', { ip: IP6 }],
    ['v=spf1 exists:nothing.example -all', 'fail'],
    ['v=spf1 exists:dead.example -all', 'temperror'],
    ['v=spf1 exists -all', 'permerror'],
    ['v=spf1 exists: -all', 'permerror'],
    ['v=spf1 exists:x.example/24 -all', 'permerror'],
  ]),
  ...rows('redirect', [
    ['v=spf1 redirect=pass.example', 'pass'],
    ['v=spf1 redirect=fail.example', 'fail'],
    ['v=spf1 redirect=soft.example', 'softfail'],
    ['v=spf1 redirect=silent.example', 'neutral'],
    ['v=spf1 redirect=nothing.example', 'permerror'],
    ['v=spf1 redirect=text.example', 'permerror'],
    ['v=spf1 redirect=broken.example', 'permerror'],
    ['v=spf1 redirect=dead.example', 'temperror'],
    ['v=spf1 redirect=pass.example -all', 'fail'],
    ['v=spf1 redirect=pass.example ip4:192.0.2.1', 'pass'],
    ['v=spf1 -ip4:192.0.2.1 redirect=pass.example', 'fail'],
    ['v=spf1 REDIRECT=pass.example', 'pass'],
    ['v=spf1 redirect=', 'permerror'],
    ['v=spf1 redirect=pass.example redirect=fail.example', 'permerror'],
    ['v=spf1 redirect:pass.example', 'permerror'],
    ['v=spf1 redirect=turn.example', 'permerror'],
    ['v=spf1 redirect=pass.example/24', 'permerror'],
  ]),
  ...rows('modifiers', [
    ['v=spf1 future=something -all', 'fail'],
    ['v=spf1 future= -all', 'fail'],
    ['v=spf1 future=%{d} -all', 'fail'],
    ['v=spf1 future=%d -all', 'permerror'],
    ['v=spf1 1future=x -all', 'permerror'],
    ['v=spf1 =x -all', 'permerror'],
    [
      'v=spf1 exp=why.example -all',
      'fail',
      { explanation: '192.0.2.1 is not one of the hosts of x.example, asked by mx.receiver.example at 1764374400. 100% sure.' },
    ],
    ['v=spf1 exp=nothing.example -all', 'fail'],
    ['v=spf1 exp=dead.example -all', 'fail'],
    ['v=spf1 exp=why.example exp=why.example -all', 'permerror'],
    ['v=spf1 exp= -all', 'permerror'],
    ['v=spf1 exp=why.example ~all', 'softfail'],
  ]),
  ...rows('macros', [
    ['v=spf1 exists:%{i}.list.example -all', 'pass', { zone: { '192.0.2.1.list.example': { A: ['127.0.0.2'] } } }],
    ['v=spf1 exists:%{ir}.list.example -all', 'pass', { zone: { '1.2.0.192.list.example': { A: ['127.0.0.2'] } } }],
    ['v=spf1 exists:%{ir}.%{v}.list.example -all', 'pass', { zone: { '1.2.0.192.in-addr.list.example': { A: ['127.0.0.2'] } } }],
    ['v=spf1 exists:%{l}.list.example -all', 'pass', { zone: { 'ticket.office.list.example': { A: ['127.0.0.2'] } } }],
    ['v=spf1 exists:%{l1r}.list.example -all', 'pass', { zone: { 'ticket.list.example': { A: ['127.0.0.2'] } } }],
    ['v=spf1 exists:%{o}.list.example -all', 'pass', { zone: { 'x.example.list.example': { A: ['127.0.0.2'] } } }],
    ['v=spf1 exists:%{d1}.list.example -all', 'pass', { zone: { 'example.list.example': { A: ['127.0.0.2'] } } }],
    ['v=spf1 exists:%{dr}.list.example -all', 'pass', { zone: { 'example.x.list.example': { A: ['127.0.0.2'] } } }],
    ['v=spf1 exists:%{h}.list.example -all', 'pass', { zone: { 'mail.x.example.list.example': { A: ['127.0.0.2'] } } }],
    ['v=spf1 exists:%{p}.list.example -all', 'pass', { zone: { 'host1.x.example.list.example': { A: ['127.0.0.2'] } } }],
    ['v=spf1 exists:%{p}.list.example -all', 'pass', { ip: '192.0.2.7', zone: { 'unknown.list.example': { A: ['127.0.0.2'] } } }],
    ['v=spf1 exists:%{l-}.list.example -all', 'pass', { sender: 'a-b@x.example', zone: { 'a.b.list.example': { A: ['127.0.0.2'] } } }],
    ['v=spf1 exists:%{l2r+-}.list.example -all', 'pass', { sender: 'a+b-c@x.example', zone: { 'b.a.list.example': { A: ['127.0.0.2'] } } }],
    ['v=spf1 exists:%{s}.list.example -all', 'pass', { zone: { 'ticket.office@x.example.list.example': { A: ['127.0.0.2'] } } }],
    ['v=spf1 exists:%{S}.list.example -all', 'pass', { zone: { 'ticket.office%40x.example.list.example': { A: ['127.0.0.2'] } } }],
    ['v=spf1 exists:a%%b.example -all', 'pass', { zone: { 'a%b.example': { A: ['127.0.0.2'] } } }],
    ['v=spf1 exists:%{l}.list.example -all', 'pass', { sender: '@x.example', zone: { 'postmaster.list.example': { A: ['127.0.0.2'] } } }],
    ['v=spf1 exists:%{d0}.list.example -all', 'permerror'],
    ['v=spf1 exists:%{c}.list.example -all', 'permerror'],
    ['v=spf1 exists:%{r}.list.example -all', 'permerror'],
    ['v=spf1 exists:%{t}.list.example -all', 'permerror'],
    ['v=spf1 exists:%{i -all', 'permerror'],
    ['v=spf1 exists:%{} -all', 'permerror'],
    ['v=spf1 exists:%x.example -all', 'permerror'],
    [
      'v=spf1 exists:%{ir}.list.example -all',
      'pass',
      { ip: IP6, zone: { '1.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.8.b.d.0.1.0.0.2.list.example': { A: ['127.0.0.2'] } } },
    ],
    ['v=spf1 include:%{o}.more.example -all', 'pass', { zone: { 'x.example.more.example': { TXT: ['v=spf1 +all'] } } }],
    ['v=spf1 redirect=%{d}.more.example', 'fail', { zone: { 'x.example.more.example': { TXT: ['v=spf1 -all'] } } }],
  ]),
  ...rows('limits', [
    [`v=spf1 ${Array.from({ length: 10 }, () => 'a:host.x.example').join(' ')} -all`, 'fail'],
    [`v=spf1 ${Array.from({ length: 11 }, () => 'a:host.x.example').join(' ')} -all`, 'permerror'],
    [`v=spf1 ${Array.from({ length: 10 }, () => 'a:host.x.example').join(' ')} ip4:192.0.2.1 -all`, 'pass'],
    [`v=spf1 ip4:192.0.2.1 ${Array.from({ length: 11 }, () => 'a:host.x.example').join(' ')} -all`, 'pass'],
    [`v=spf1 ${Array.from({ length: 9 }, () => 'a:host.x.example').join(' ')} include:ours.example -all`, 'pass'],
    [`v=spf1 ${Array.from({ length: 10 }, () => 'a:host.x.example').join(' ')} redirect=pass.example`, 'permerror'],
    ['v=spf1 a:n1.example a:n2.example -all', 'fail'],
    ['v=spf1 a:n1.example a:n2.example a:n3.example -all', 'permerror'],
    ['v=spf1 exists:n1.example mx:n2.example a:n3.example -all', 'permerror'],
  ]),
];

/** Records as a case has them. */
export function zoneOf({ record, zone = {} }: SpfCase): Zone {
  const txt = record === '!' ? ('!' as const) : typeof record === 'string' ? [record] : record;
  const all: Record<string, Partial<Record<DnsType, readonly string[] | '!'>>> = { ...WORLD, ...zone };
  all['x.example'] = { ...all['x.example'], TXT: txt };
  return all;
}

/** Name servers that have a zone. */
export function asking(zone: Zone): DnsAsk {
  return (name, type) => {
    const there = zone[name.toLowerCase()];
    const records = there?.[type];
    if (records === '!') return Promise.resolve({ status: 'failed' });
    if (records === undefined || records.length === 0) return Promise.resolve({ status: 'none', isNameMissing: there === undefined });
    return Promise.resolve({ status: 'found', records });
  };
}

/** What a case is asked with. */
export function queryOf({ ip = IP, sender = 'ticket.office@x.example', helo = 'mail.x.example' }: SpfCase) {
  return { ip, sender, helo, receiver: 'mx.receiver.example', seconds: 1_764_374_400 };
}
