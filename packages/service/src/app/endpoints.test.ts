import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { createConfig, lintFromString } from '@redocly/openapi-core';
import { FEATURES } from '../features/order.js';
import { ENDPOINTS, openApiDocument } from './endpoints.js';

test('the API document has no fault in an independent linter', async () => {
  // Two operations lead elsewhere and answer with 303; below each must succeed in one way or the other.
  const config = await createConfig({ extends: ['recommended'], rules: { 'operation-2xx-response': 'off' } });
  const found = await lintFromString({ source: JSON.stringify(openApiDocument()), absoluteRef: 'openapi.json', config });
  expect(found.map(({ ruleId, message }) => `${ruleId}: ${message}`)).toEqual([]);
});

test('the document names its server, and every refusal of every operation', () => {
  const { servers, paths } = openApiDocument('https://mail.saltmarsh-ferries.example') as {
    servers: { url: string }[];
    paths: Record<
      string,
      Record<string, { operationId: string; responses: Record<string, unknown>; requestBody?: unknown; security?: unknown }>
    >;
  };
  expect(servers).toMatchObject([{ url: 'https://mail.saltmarsh-ferries.example' }]);
  const operations = Object.values(paths).flatMap((methods) => Object.values(methods));
  expect(operations).toHaveLength(ENDPOINTS.length);
  for (const { operationId, responses, requestBody, security } of operations) {
    const needed = [
      ...(security === undefined ? ['401', '403', '404'] : []),
      ...(requestBody === undefined ? [] : ['413', '415', '422']),
      '500',
    ];
    expect({ operationId, succeeds: Object.keys(responses).some((status) => /^2|^303$/.test(status)) }).toEqual({
      operationId,
      succeeds: true,
    });
    expect({ operationId, statuses: Object.keys(responses) }).toEqual({ operationId, statuses: expect.arrayContaining(needed) });
  }
});

test('every endpoint has a name of its own: a group and a method', () => {
  const names = ENDPOINTS.map(({ name }) => name);
  expect(new Set(names).size).toBe(names.length);
  for (const name of names) expect(name).toMatch(/^[a-z][A-Za-z]+\.[a-z][A-Za-z]+$/);
});

test('every feature says in a README what it is for, what it promises and what it must never do', () => {
  for (const { name: feature } of FEATURES) {
    const text = readFileSync(join('packages/service/src/features', feature, 'README.md'), 'utf8');
    expect({ feature, text }).toEqual({
      feature,
      text: expect.stringMatching(/^# .+\n\n.+\n\nIt promises:\n\n- [\s\S]+\nIt must never:\n\n- /),
    });
  }
});
