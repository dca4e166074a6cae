import express, { type Express } from 'express';

/** An Express application as all listeners use it. */
export function bareApp(): Express {
  const app = express();
  app.disable('x-powered-by');
  app.set('etag', false);
  app.set('query parser', 'simple');
  return app;
}
