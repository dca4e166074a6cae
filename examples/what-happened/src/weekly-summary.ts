import { createHmac, timingSafeEqual } from 'node:crypto';
import express, { type Express } from 'express';

/** What someone booked. */
export interface Booked {
  readonly address: string;
  readonly wantsSummary: boolean;
  readonly sailings: readonly { readonly reference: string; readonly from: string; readonly to: string; readonly departsAt: string }[];
}

const TOLERANCE_S = 300;
const PAGE = 100;
const WEEK_MS = 7 * 86_400_000;

/** Whether a request is the mail service's (Standard Webhooks 1.0): signed with the secret that `verbalis bulk-sends secret` prints. */
function isGenuine(secret: string, headers: Readonly<Record<string, string | string[] | undefined>>, body: string, now: number): boolean {
  const [id, at, signatures] = ['webhook-id', 'webhook-timestamp', 'webhook-signature'].map((name) => String(headers[name]));
  if (Math.abs(now / 1000 - Number(at)) > TOLERANCE_S) return false;
  const key = Buffer.from(secret.replace(/^whsec_/, ''), 'base64');
  const wanted = createHmac('sha256', key)
    .update(`${id ?? ''}.${at ?? ''}.${body}`)
    .digest();
  return (signatures ?? '').split(' ').some((signature) => {
    const given = Buffer.from(signature.replace(/^v1,/, ''), 'base64');
    return given.length === wanted.length && timingSafeEqual(given, wanted);
  });
}

/**
 * Case 4: a weekly summary to all who want it. When it is due is a schedule of the mail folder (schedules/weekly-summary.yaml); the mail
 * service asks here who gets it, page by page, and the data stays with the app.
 */
export function weeklySummary(people: () => readonly Booked[], secret: string, now: () => number = Date.now): Express {
  const app = express();
  app.use(express.text({ type: () => true }));
  app.post('/recipients', (request, response) => {
    const body = String(request.body);
    if (!isGenuine(secret, request.headers, body, now())) {
      response.status(401).end();
      return;
    }
    const { cursor, run } = JSON.parse(body) as { cursor: string | null; run: { plannedAt?: string; startedAt: string } };
    // The week of the run, not of this moment: a run that is late is about the same week.
    const from = Date.parse(run.plannedAt ?? run.startedAt);
    const wanted = people().filter(({ wantsSummary }) => wantsSummary);
    const first = Number(cursor ?? 0);
    const recipients = wanted.slice(first, first + PAGE).map(({ address, sailings }) => ({
      to: address,
      data: {
        from: new Date(from).toISOString().slice(0, 10),
        sailings: sailings.filter(({ departsAt }) => Date.parse(departsAt) >= from && Date.parse(departsAt) < from + WEEK_MS),
      },
    }));
    response.json({ recipients, next: first + PAGE < wanted.length ? String(first + PAGE) : null });
  });
  return app;
}
