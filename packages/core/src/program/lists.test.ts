import { describe, expect, test } from '@jest/globals';
import { md, object, testFolder } from './test-folder.js';

const SCHEMA = object({
  total: { type: 'integer' },
  rate: { type: 'number' },
  share: { type: 'integer', minimum: 1 },
  lines: {
    type: 'array',
    minItems: 1,
    items: object(
      {
        label: { type: 'string' },
        cents: { type: 'integer' },
        kind: { enum: ['fare', 'extra'] },
        currency: { type: 'string', format: 'currency' },
        price: object({ net: { type: 'integer' } }),
        note: { type: 'string' },
        tags: { type: 'array', items: { type: 'string' } },
      },
      { required: ['label', 'cents', 'kind', 'currency', 'price', 'tags'] },
    ),
  },
  ports: { type: 'array', items: { type: 'string' } },
  flight: object({
    at: { type: 'string', format: 'date-time' },
    until: { type: 'string', format: 'date-time' },
    zone: { type: 'string', format: 'time-zone' },
  }),
  day: { type: 'string', format: 'date' },
});
const DATA = {
  total: 1000,
  rate: 0.19,
  share: 3,
  lines: [
    { label: 'Bicycle', cents: 650, kind: 'extra', currency: 'EUR', price: { net: 546 }, tags: ['deck'] },
    { label: 'Adult', cents: 4800, kind: 'fare', currency: 'EUR', price: { net: 4034 }, note: 'Window', tags: [] },
    { label: 'Child', cents: 2400, kind: 'fare', currency: 'EUR', price: { net: 2017 }, tags: [] },
  ],
  ports: ['Oldquay', 'Brackwater'],
  flight: { at: '2026-06-04T08:15:00Z', until: '2026-06-04T09:45:00Z', zone: 'Europe/Lisbon' },
  day: '2026-06-04',
};

const folder = (body: string) =>
  testFolder(SCHEMA, { 'templates/t/message.md': md(body) }, 'baseUrl: https://shop.example/\ntimeZone: Europe/Paris\n');

function text(body: string, data: unknown = DATA): string {
  const { problems, render } = folder(body);
  expect(problems.filter(({ severity }) => severity === 'error')).toEqual([]);
  return render(data)
    .text.trim()
    .replace(/[\u00A0\u202F\u2009]/g, ' ');
}

describe('what is accepted gives this', () => {
  test.each([
    ['{{ lines | sort "label" | pick "label" | list }}', 'Adult, Bicycle, and Child'],
    ['{{ lines | sort "cents" "descending" | pick "label" | join }}', 'Adult, Child, Bicycle'],
    ['{{ ports | sort order="descending" | join }}', 'Oldquay, Brackwater'],
    ['{{ lines | where "kind" = "fare" | pick "label" | join }}', 'Adult, Child'],
    ['{{ lines | where "cents" >= 2400 | where "kind" != "extra" | count }}', '2'],
    ['{{ lines | where "price.net" < 1000 | pick "label" | join }}', 'Bicycle'],
    ['{{ lines | where "note" | pick "note" | join }}', 'Window'],
    ['{{ lines | sum "cents" | money "EUR" }}', '€78.50'],
    ['{{ lines | sum "price.net" }}', '6597'],
    ['{{ lines | sum "cents" same="currency" | money "EUR" | default "several currencies" }}', '€78.50'],
    ['{{ (lines | first 1)[0].label }}', 'Bicycle'],
    ['{{ ports | last 1 | join }} {{ ports | reverse | join }} {{ ports | slice 1 | join }}', 'Brackwater Brackwater, Oldquay Brackwater'],
    ['{{ lines | unique "kind" | pick "label" | join }}', 'Bicycle, Adult'],
    [
      ':::each g in lines | group "kind"\n- {{ g.key }}: {{ g.entries | sum "cents" | money "EUR" }}\n:::',
      '- extra: €6.50\n- fare: €72.00',
    ],
    ['::let fares = lines | where "kind" = "fare"\n{{ fares | count }} fares, {{ fares | sum "cents" | money "EUR" }}', '2 fares, €72.00'],
    ['{{ total | times rate | money "EUR" }}', '€1.90'],
    ['{{ total | over share | money "EUR" }}', '€3.33'],
    [':::each part in total | split 3\n- {{ part | money "EUR" }}\n:::', '- €3.34\n- €3.33\n- €3.33'],
    ['{{ (total | split (lines | pick "cents"))[0] ?? 0 | money "EUR" }}', '€0.83'],
    ['{{ 1234567 | round -3 }} {{ 1500 | round -3 }} {{ -2501 | round -3 "down" }} {{ 7 | round -15 }}', '1235000 2000 -2000 0'],
    ['{{ total * rate | round | money "EUR" }} {{ rate | round 1 }} {{ rate | ceil }} {{ rate | floor | abs }}', '€1.90 0.2 1 0'],
    ['{{ total | max 2000 | min 5000 | difference 100 | money "EUR" }}', '€19.00'],
    ['{{ flight.at | time zone=flight.zone }} {{ flight.at | time }}', '9:15 AM GMT+1 10:15 AM'],
    ['{{ flight.at | datetime "EEEMMMdjmm" zone="Asia/Tokyo" }}', 'Thu, Jun 4, 5:15 PM GMT+9'],
    ['{{ flight.at | until flight.until | duration }}', '1 hour 30 minutes'],
    ['{{ flight.at | range flight.until "jmm" }}', '10:15 – 11:45 AM'],
    ['{{ day | addDays 14 | date "MMMd" }} {{ day | addMonths -1 | weekday }} {{ day | week }}', 'Jun 18 Monday 23'],
    ['{{ lines[0].label | words 1 }} {{ lines[0].label | initials }}', 'Bicycle B'],
  ])('%s', (body, expected) => {
    expect(text(body)).toBe(expected);
  });

  test('an absent field in the order, two currencies, a division by nothing', () => {
    expect(text('{{ lines | sort "note" | pick "label" | join }}')).toBe('Adult, Bicycle, Child');
    const two = { ...DATA, lines: [DATA.lines[0], { ...DATA.lines[1], currency: 'ISK' }] };
    expect(text('{{ lines | sum "cents" same="currency" | default "two" }}', two)).toBe('two');
    expect(text('{{ total | over (share - 3) | default "none" }}')).toBe('none');
  });
});

describe('what is wrong is refused, with the place and what helps', () => {
  test.each([
    ['{{ lines | sort "lable" }}', 'unknown-field', 'Did you mean "label"'],
    ['{{ lines | sort | count }}', 'formatter-type', 'Name a field'],
    ['{{ lines | sort "tags" | count }}', 'formatter-type', 'a list'],
    ['{{ lines | sort ports[0] | count }}', 'formatter-field', 'written out'],
    ['{{ lines | sort "label" "downwards" | count }}', 'formatter-choice', 'descending'],
    ['{{ lines | sort by="label" | count }}', 'formatter-arguments', 'no argument "by"'],
    ['{{ lines | sort "label" field="cents" | count }}', 'formatter-arguments', 'given twice'],
    ['{{ total | sort }}', 'formatter-type', 'a list'],
    ['{{ lines | where "kind" = 3 | count }}', 'comparison-type', 'cannot be compared'],
    ['{{ lines | where "kind" "is" "fare" | count }}', 'formatter-choice', 'sign'],
    ['{{ lines | where "kind" = | count }}', 'expression-expected', 'a value'],
    ['{{ lines | where | count }}', 'formatter-arguments', 'field'],
    ['{{ ports | where "name" | count }}', 'unknown-field', 'no fields'],
    ['{{ lines | pick "note" | join }}', 'formatter-type', 'absent'],
    ['{{ lines | sum "note" }}', 'formatter-type', 'a text'],
    ['{{ lines | sum }}', 'formatter-type', 'a record'],
    ['{{ lines | sum "cents" same="currency" | money "EUR" }}', 'maybe-absent', 'may be absent'],
    ['{{ lines | first | count }}', 'formatter-arguments', 'n'],
    ['{{ lines | first 200000 | count }}', 'formatter-range', '100000'],
    ['{{ lines | first 2 }}', 'insert-type', 'a list'],
    ['{{ (lines | where "note")[0].label }}', 'maybe-absent', 'may be absent'],
    ['{{ total | times "much" }}', 'formatter-type', 'a number'],
    ['{{ rate | times 2 }}', 'formatter-type', 'a whole number'],
    ['{{ total | over rate | money "EUR" }}', 'maybe-absent', 'may be absent'],
    ['{{ total | times 0.19 "nearest" | money "EUR" }}', 'formatter-choice', 'half-even'],
    ['{{ total * rate | money "EUR" }}', 'formatter-type', 'minor units'],
    ['{{ total | split "three" | count }}', 'formatter-type', 'list of numbers'],
    ['{{ total | split (lines | pick "note") | count }}', 'formatter-type', 'list of numbers'],
    ['{{ rate | round 20 }}', 'formatter-range', '15'],
    ['{{ day | date "YYYY" }}', 'formatter-choice', '"YYYY"'],
    ['{{ day | date "Hmm" }}', 'formatter-choice', '"Hmm"'],
    ['{{ day | time }}', 'formatter-type', 'a date'],
    ['{{ flight.at | time zone="Moon/Base" }}', 'formatter-type', 'a time zone'],
    ['{{ flight.at | time zone=ports[0] }}', 'maybe-absent', 'may be absent'],
    ['{{ flight.at | time zone=lines[0].label }}', 'formatter-type', 'time-zone'],
    ['{{ day | range total }}', 'formatter-type', 'a date'],
    ['{{ day | addDays rate | date }}', 'formatter-type', 'a whole number'],
    ['{{ total | addDays 1 }}', 'formatter-type', 'a date'],
    ['{{ lines | group "tags" | count }}', 'formatter-type', 'a list'],
    ['{{ lines | words 2 }}', 'formatter-type', 'a text'],
  ])('%s', (body, code, said) => {
    const found = folder(body).problems.filter(({ severity }) => severity === 'error');
    expect(found.map((problem) => problem.code)).toContain(code);
    const first = found.find((problem) => problem.code === code);
    expect(`${first?.message} ${first?.hint}`).toContain(said);
    expect(first?.place.line).toBe(4);
  });
});
