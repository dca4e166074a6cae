import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, expect, test } from '@jest/globals';
import { webhookHeaders } from '@verbalis/core/events';
import { ROOT, temporaryFolder } from './support/service.js';

// The ways to verify a notification that docs/events.md shows, each run in its language with nothing but its standard library.

const snippets = new Map(
  [...readFileSync(join(ROOT, 'docs/events.md'), 'utf8').matchAll(/^```(js|python|go|ruby|php)\n([\s\S]*?)^```$/gm)].map(
    ([, language = '', code = '']) => [language, code],
  ),
);
const { path, remove } = temporaryFolder();
afterAll(remove);

const SECRET = 'whsec_c2hpcHMgaW4gdGhlIG5pZ2h0IGFuZCBhIGhhcmJvdXI=';
const OTHER = 'whsec_YW5vdGhlciBzZWNyZXQgb2YgYW5vdGhlciBoYXJib3Vy';

/** A case as each language reads it: the three header fields, the body, and the secret that the consumer has. */
interface Case {
  readonly secret: string;
  readonly id: string;
  readonly at: string;
  readonly signature: string;
  readonly body: string;
}

const RUNS: Readonly<Record<string, (code: string) => { file: string; command: readonly string[]; text: string }>> = {
  js: (code) => ({
    file: 'verify.mjs',
    command: [process.execPath, 'verify.mjs'],
    text: `${code}
import { readFileSync } from 'node:fs';
const out = JSON.parse(readFileSync('cases.json', 'utf8')).map((one) =>
  isGenuine(one.secret, { 'webhook-id': one.id, 'webhook-timestamp': one.at, 'webhook-signature': one.signature }, one.body));
console.log(JSON.stringify(out));
`,
  }),
  python: (code) => ({
    file: 'verify.py',
    command: ['python3', 'verify.py'],
    text: `${code}
import json
cases = json.load(open("cases.json", encoding="utf-8"))
print(json.dumps([is_genuine(c["secret"], {"webhook-id": c["id"], "webhook-timestamp": c["at"], "webhook-signature": c["signature"]}, c["body"].encode()) for c in cases]))
`,
  }),
  ruby: (code) => ({
    file: 'verify.rb',
    command: ['ruby', 'verify.rb'],
    text: `${code}
require 'json'
cases = JSON.parse(File.read('cases.json', encoding: 'utf-8'))
puts JSON.generate(cases.map { |c| genuine?(c['secret'], { 'webhook-id' => c['id'], 'webhook-timestamp' => c['at'], 'webhook-signature' => c['signature'] }, c['body']) })
`,
  }),
  php: (code) => ({
    file: 'verify.php',
    command: ['php', 'verify.php'],
    text: `<?php
${code}
$cases = json_decode(file_get_contents('cases.json'), true);
echo json_encode(array_map(fn ($c) => isGenuine($c['secret'], ['webhook-id' => $c['id'], 'webhook-timestamp' => $c['at'], 'webhook-signature' => $c['signature']], $c['body']), $cases));
`,
  }),
  go: (code) => ({
    file: 'verify.go',
    command: ['go', 'run', 'verify.go'],
    text: `package main

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"os"
	"strconv"
	"strings"
	"time"
)

${code}
func main() {
	var cases []struct{ Secret, Id, At, Signature, Body string }
	text, _ := os.ReadFile("cases.json")
	json.Unmarshal(text, &cases)
	out := []bool{}
	for _, c := range cases {
		h := http.Header{}
		h.Set("webhook-id", c.Id)
		h.Set("webhook-timestamp", c.At)
		h.Set("webhook-signature", c.Signature)
		out = append(out, isGenuine(c.Secret, h, []byte(c.Body)))
	}
	text, _ = json.Marshal(out)
	fmt.Println(string(text))
}
`,
  }),
};

test.each(Object.entries(RUNS))('%s', (language, make) => {
  const code = snippets.get(language);
  expect(code).toBeDefined();
  const { file, command, text } = make(code as string);
  const now = Math.floor(Date.now() / 1000);
  const body = '{"id":"a1:failed","data":{"subject":"Ferðin þín – “á morgun”","address":"ása@post.example"}}';
  const of = (at: number, secrets: readonly string[] = [SECRET]): Case => ({
    secret: SECRET,
    id: 'a1:failed',
    at: String(at),
    signature: webhookHeaders(secrets, 'a1:failed', at * 1000, body)['webhook-signature'] ?? '',
    body,
  });
  const cases: readonly (readonly [Case, boolean])[] = [
    [of(now), true],
    // While a secret is changed there are two.
    [of(now, [OTHER, SECRET]), true],
    [of(now, [OTHER]), false],
    [{ ...of(now), body: body.replace('failed', 'passed') }, false],
    [{ ...of(now), id: 'a2:failed' }, false],
    [{ ...of(now), at: String(now - 1) }, false],
    [of(now - 3600), false],
    [of(now + 3600), false],
  ];
  const folder = join(path, language);
  mkdirSync(folder);
  writeFileSync(join(folder, 'cases.json'), JSON.stringify(cases.map(([one]) => one)));
  writeFileSync(join(folder, file), text);
  const [program = '', ...args] = command;
  const { stdout, stderr, error } = spawnSync(program, args, {
    cwd: folder,
    encoding: 'utf8',
    env: { ...process.env, HOME: folder, GOCACHE: join(folder, 'cache'), GOFLAGS: '-mod=mod', GO111MODULE: 'off' },
  });
  if (error !== undefined) throw new Error(`${program} is not there; it comes with "npm test" on Debian. (${error.message})`);
  expect({ stderr, genuine: JSON.parse(stdout || 'null') as unknown }).toEqual({
    stderr: '',
    genuine: cases.map(([, genuine]) => genuine),
  });
});
