import { existsSync, readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { test } from '@jest/globals';
import type { Browser, chromium as Chromium, Page } from 'playwright-core';
import { outside } from './outside.js';

const { chromium } = await outside<{ readonly chromium: typeof Chromium }>('playwright-core/index.mjs');

/** Chromium without a window: it takes less than half of the processor time of the whole browser. */
export const CHROMIUM = '/usr/bin/chromium-headless-shell';

/** A test that needs a program of Debian's: skipped loudly where it is not there; on CI the run then fails. */
export function needs(...files: string[]): typeof test | typeof test.skip {
  const missing = files.filter((file) => !existsSync(file));
  if (missing.length === 0) return test;
  process.stderr.write(`\n!! SKIPPED, since these are not installed: ${missing.join(', ')}\n`);
  return test.skip;
}

export const browserTest = needs(CHROMIUM);

/** @param more arguments of Chromium's */
export function launch(...more: string[]): Promise<Browser> {
  return chromium.launch({
    executablePath: CHROMIUM,
    args: [
      '--headless',
      '--no-sandbox',
      '--disable-gpu',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
      ...more,
    ],
  });
}

const AXE = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

/**
 * What axe finds wrong with a page, in short.
 * @param without rules that are left out: looking at contrasts takes half of the time
 */
export async function axe(page: Page, without: readonly string[] = []): Promise<string[]> {
  if (!(await page.evaluate(() => 'axe' in globalThis))) await page.evaluate(AXE);
  const rules = Object.fromEntries(without.map((rule) => [rule, { enabled: false }]));
  const violations = await page.evaluate(async (rules) => {
    const run = (
      globalThis as unknown as {
        axe: { run: (context: unknown, options: unknown) => Promise<{ violations: { id: string; nodes: { html: string }[] }[] }> };
      }
    ).axe;
    return (await run.run({ exclude: [['iframe']] }, { resultTypes: ['violations'], rules })).violations.map(
      (violation) =>
        `${violation.id}: ${violation.nodes
          .map((node) => node.html)
          .join(' | ')
          .slice(0, 300)}`,
    );
  }, rules);
  return violations;
}

/** Signs a browser in as the operator, without a page: the next one that is opened is theirs. */
export async function signedIn(page: Page, url: string, secret: string): Promise<void> {
  const answer = await page.request.post(`${url}/console/session`, { headers: { 'verbalis-console': '1' }, data: { secret } });
  if (!answer.ok()) throw new Error(`Signing in was answered with ${answer.status()}.`);
}

/** Signs in with the operator's secret, on the page for it. */
export async function signInWithSecret(page: Page, url: string, secret: string): Promise<void> {
  await page.goto(url);
  const field = page.getByLabel('Operator’s secret');
  await field.waitFor({ state: 'attached' });
  // Where links can be sent, the secret is the last of the ways.
  if (!(await field.isVisible())) await page.getByText('Use the operator’s secret').click();
  await field.fill(secret);
  await page.keyboard.press('Enter');
}
