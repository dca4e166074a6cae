import { randomUUID } from 'node:crypto';
import express, { type Express } from 'express';
import type { Mail } from './mail.js';

/**
 * Case 1: a sign-up. The app says that an account was opened; that a welcome follows from it is a rule of the mail folder
 * (signals/account-opened.yaml).
 */
export function signUp(mail: Mail): Express {
  const accounts = new Map<string, { readonly name: string; readonly address: string }>();
  const app = express();
  app.use(express.json());
  app.post('/accounts', async (request, response) => {
    const { name, address } = request.body as { name?: unknown; address?: unknown };
    if (typeof name !== 'string' || typeof address !== 'string') {
      response.status(400).json({ error: 'Name and address are missing.' });
      return;
    }
    const id = randomUUID();
    accounts.set(id, { name, address });
    // The account stands for one signal: said again after a crash, it is the same one.
    await mail.signal('account.opened', { account: { name, address } }, { id, source: '/accounts' });
    response.status(201).json({ id });
  });
  return app;
}
