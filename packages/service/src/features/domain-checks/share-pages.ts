import { randomBytes } from 'node:crypto';
import { escapeHtml } from '@verbalis/core/render';
import { Router, type Response } from 'express';
import type * as z from 'zod';
import type { Clock } from '../../kernel/index.js';
import type { DomainChecks } from './checks.js';
import type { DomainRecordView, DomainView } from './model.js';
import type { Sharing } from './sharing.js';
import type { Store } from './store.js';
import { domainView, zoneNotes } from './view.js';
import type { OwnNames } from './needs.js';

export interface SharePageOptions {
  readonly store: Store;
  readonly checks: DomainChecks;
  readonly sharing: Sharing;
  readonly clock: Clock;
  readonly names: OwnNames;
}

/** A page may have a domain checked again after so long. */
const AGAIN_MS = 10_000;

const STYLE = `:root{color-scheme:light dark;--line:light-dark(#c9ced6,#444b57);--soft:light-dark(#f3f5f8,#1d2128);--bad:light-dark(#a3260b,#ff9b85);--good:light-dark(#0b6b3a,#7fd9a6);--muted:light-dark(#4d5663,#a9b2c0)}
*{box-sizing:border-box}html{background:light-dark(#fff,#14181e);color:light-dark(#15191f,#e8eaee)}body{font:1rem/1.5 system-ui,sans-serif;max-width:52rem;margin:2rem auto;padding:0 1rem}
h1{font-size:1.5rem;margin:0 0 .25rem}h2{font-size:1.1rem;margin:0}p{margin:.4rem 0}
section{border:1px solid var(--line);border-radius:.5rem;padding:1rem;margin:1rem 0}
header.record{display:flex;gap:.75rem;justify-content:space-between;align-items:baseline;flex-wrap:wrap}
.state{font-weight:600}.right{color:var(--good)}.wrong,.missing{color:var(--bad)}.muted{color:var(--muted)}
dl{display:grid;grid-template-columns:7rem 1fr;gap:.4rem .75rem;margin:.75rem 0}dt{color:var(--muted)}dd{margin:0;min-width:0}
.copied{display:flex;gap:.5rem;align-items:start}code{font:.9rem/1.45 ui-monospace,monospace;overflow-wrap:anywhere;background:var(--soft);padding:.15rem .35rem;border-radius:.25rem;flex:1;min-width:0}
button{font:inherit;padding:.45rem .9rem;min-height:44px;border:1px solid var(--line);border-radius:.4rem;background:var(--soft);color:inherit;cursor:pointer}
.finding{border-left:4px solid var(--bad);padding:.1rem .75rem;margin:.6rem 0}.finding.wait,.finding.advice{border-color:var(--line)}
.actions{display:flex;gap:.5rem;flex-wrap:wrap;margin:1rem 0}details{margin:.5rem 0}summary{cursor:pointer;min-height:24px}
@media(max-width:30rem){dl{grid-template-columns:1fr;gap:.1rem}dd{margin-bottom:.5rem}}`;

const SCRIPT = `const say=document.getElementById('said');document.addEventListener('click',async(event)=>{const button=event.target.closest('button[data-copy]');if(!button)return;
try{await navigator.clipboard.writeText(button.dataset.copy);say.textContent=button.dataset.name+' copied.';}catch{say.textContent='The browser does not allow copying here; select the text instead.';}});`;

const STATE_WORDS: Readonly<Record<string, string>> = {
  right: '✓ Right',
  wrong: '✕ Wrong',
  missing: '✕ Missing',
  unknown: '? Name servers did not answer',
  unchecked: '… Not checked yet',
};

/** The page for an address that was altered or has expired: it shows no domain. */
const UNKNOWN = '<p>The address is not complete, or it has ended. Ask for a new one.</p>';

/** Pages that show the records of a domain to the owner of its DNS. They need no sign-in, and change nothing. */
export function sharePages({ store, checks, sharing, clock, names }: SharePageOptions): Router {
  const router = Router();
  const send = (response: Response, title: string, body: string): void => {
    const nonce = randomBytes(16).toString('base64');
    response.set({
      'Content-Security-Policy': `default-src 'none'; style-src 'unsafe-inline'; script-src 'nonce-${nonce}'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'`,
      'Referrer-Policy': 'no-referrer',
      'Cache-Control': 'no-store',
      'X-Robots-Tag': 'noindex',
    });
    response
      .type('html')
      .send(
        `<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width,initial-scale=1"><title>${title}</title><style>${STYLE}</style><main><h1>${title}</h1>${body}</main><script nonce="${nonce}">${SCRIPT}</script></html>`,
      );
  };
  const refuse = (response: Response): void => {
    send(response.status(404), 'This page is not known', UNKNOWN);
  };

  router.get('/:token', async (request, response) => {
    const opened = sharing.open(request.params.token);
    if (opened === undefined) {
      refuse(response);
      return;
    }
    const { domain, expiresAt } = opened;
    const state = store.domainChecks.state(domain.name);
    // Which providers there are is nobody else's business.
    const view = domainView(domain, { spaces: await checks.spaces(), names, state, now: clock.now() });
    send(
      response,
      `DNS records for ${escapeHtml(domain.name)}`,
      page({ ...view, notes: zoneNotes(domain, state, clock.now()) }, expiresAt),
    );
  });

  router.post('/:token', async (request, response) => {
    const opened = sharing.open(request.params.token);
    if (opened === undefined) {
      refuse(response);
      return;
    }
    const { name } = opened.domain;
    const checkedAt = store.domainChecks.state(name)?.checkedAt;
    // Anybody with the address may ask, but not arbitrarily often.
    if (checkedAt === undefined || clock.now() - checkedAt >= AGAIN_MS || clock.now() < checkedAt) await checks.check(name);
    response.redirect(303, request.originalUrl);
  });
  return router;
}

type Domain = z.input<typeof DomainView>;
type Shown = z.input<typeof DomainRecordView>;

function page({ records, notes, checkedAt, state }: Domain, expiresAt: number): string {
  const required = records.filter(({ required: isRequired }) => isRequired);
  const open = required.filter(({ state: own }) => own === 'wrong' || own === 'missing').length;
  const summary =
    state === 'right'
      ? 'All records are right. Nothing has to be done.'
      : state === 'unchecked'
        ? `${count(required.length, 'record')} to enter. The name servers have not been asked yet.`
        : open > 0
          ? `${open} of ${count(required.length, 'record')} ${open === 1 ? 'needs' : 'need'} your attention.`
          : 'The name servers did not answer for all records; they are asked again.';
  const zone = records.map(({ zoneLine }) => zoneLine).join('\n');
  return `<p class="state ${state === 'right' ? 'right' : open > 0 ? 'wrong' : ''}">${summary}</p>
<p class="muted">${checkedAt === undefined ? '' : `Checked at ${time(Date.parse(checkedAt))}. `}This page can be read until ${time(expiresAt)}.</p>
<div class="actions"><form method="post"><button>Check again</button></form>
<button type="button" data-copy="${escapeHtml(zone)}" data-name="All records">Copy all as lines of a zone file</button></div>
<p id="said" role="status" class="muted"></p>
${notes.map((note) => `<p>${escapeHtml(note)}</p>`).join('')}
${[...records]
  .sort((a, b) => rank(a) - rank(b))
  .map((record, i) => section(record, i))
  .join('')}`;
}

/** What needs work by a person comes first. */
const rank = ({ state }: Shown): number => (state === 'wrong' || state === 'missing' ? 0 : 1);

const count = (n: number, noun: string): string => `${n} ${noun}${n === 1 ? '' : 's'}`;
const time = (ms: number): string =>
  `<time datetime="${new Date(ms).toISOString()}">${new Date(ms).toISOString().slice(0, 16).replace('T', ' ')} UTC</time>`;

function section({ guide, type, name, value, priority, state, findings, required }: Shown, i: number): string {
  const copied = (label: string, text: string): string =>
    `<div class="copied"><code>${escapeHtml(text)}</code><button type="button" data-copy="${escapeHtml(text)}" data-name="${label}" aria-label="Copy ${label.toLowerCase()} of ${escapeHtml(guide.title)}">Copy</button></div>`;
  const list = (items: readonly string[]): string => `<ul>${items.map((item) => `<li>${escapeHtml(item)}</li>`).join('')}</ul>`;
  return `<section aria-labelledby="r${i}"><header class="record"><h2 id="r${i}">${escapeHtml(guide.title)}${required ? '' : ' (optional)'}</h2><span class="state ${state}">${STATE_WORDS[state] ?? ''}</span></header>
<p class="muted">${escapeHtml(guide.purpose)} ${escapeHtml(guide.without)}</p>
${findings.map((finding) => `<div class="finding ${finding.severity}"><p>${escapeHtml(finding.sentence)}</p>${finding.found === '' ? '' : `<p class="muted">There now: <code>${escapeHtml(finding.found)}</code></p>`}${finding.enter === undefined ? '' : copied('New value', finding.enter)}</div>`).join('')}
<dl><dt>Type</dt><dd>${escapeHtml(guide.type)}</dd>
<dt>Name</dt><dd>${copied('Name', guide.host)}<p class="muted">In full: ${escapeHtml(name)}</p></dd>
${type === 'MX' ? `<dt>Priority</dt><dd><code>${priority ?? 10}</code></dd>` : ''}
<dt>Value</dt><dd>${copied('Value', value)}</dd></dl>
<details><summary>How to enter it, and common mistakes</summary>${list(guide.entering)}<p>Common mistakes:</p>${list(guide.mistakes)}</details></section>`;
}
