import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { Registry } from 'prom-client';
import * as z from 'zod';
import { sameSecret } from './access.js';
import { portFault } from './ports.js';
import { Host, Port } from './setting-fields.js';

/** Where a monitoring system reads what is counted, and how much of it. */
export const MetricsSettings = z
  .strictObject({
    host: Host.default('127.0.0.1'),
    port: Port.optional().meta({ description: 'A separate port; without it, metrics are at /metrics of the service.' }),
    token: z.string().min(16).max(200).optional().meta({ description: 'What a monitoring system must send as "Authorization: Bearer …".' }),
    spaces: z.boolean().default(false).meta({ description: 'Whether the names of spaces are in it.' }),
  })
  .prefault({});
export type MetricsSettings = z.infer<typeof MetricsSettings>;

/** The response to a request for metrics. */
export interface MetricsAnswer {
  readonly status: 200 | 401;
  readonly headers: Readonly<Record<string, string>>;
  readonly text: string;
}

/** @param authorization the header field of the request */
export async function metricsAnswer(
  registry: Registry,
  { token }: Pick<MetricsSettings, 'token'>,
  authorization: string | undefined,
): Promise<MetricsAnswer> {
  const given = /^Bearer\s+(\S+)$/i.exec(authorization ?? '')?.[1];
  if (token !== undefined && (given === undefined || !sameSecret(given, token)))
    return {
      status: 401,
      headers: { 'Content-Type': 'text/plain; charset=utf-8', 'WWW-Authenticate': 'Bearer' },
      text: 'The metrics need the token of metrics.token (VERBALIS_METRICS_TOKEN): Authorization: Bearer TOKEN.\n',
    };
  return { status: 200, headers: { 'Content-Type': registry.contentType }, text: await registry.metrics() };
}

/** A listener for metrics alone. @returns its port, and what closes it. @throws StartError */
export async function listenMetrics(
  registry: Registry,
  settings: MetricsSettings & { readonly port: number },
): Promise<{ readonly port: number; readonly close: () => Promise<void> }> {
  const { host, port } = settings;
  const server = createServer((request, response) => {
    const end = (status: number, headers: Readonly<Record<string, string>>, text: string): void => {
      response.writeHead(status, { ...headers, 'X-Content-Type-Options': 'nosniff' }).end(request.method === 'HEAD' ? undefined : text);
    };
    const [path] = (request.url ?? '').split('?');
    if (path !== '/metrics' || (request.method !== 'GET' && request.method !== 'HEAD')) {
      end(404, { 'Content-Type': 'text/plain; charset=utf-8' }, 'Here is GET /metrics only.\n');
      return;
    }
    void metricsAnswer(registry, settings, request.headers.authorization).then(
      ({ status, headers, text }) => {
        end(status, headers, text);
      },
      (error: unknown) => {
        end(500, { 'Content-Type': 'text/plain; charset=utf-8' }, `${error instanceof Error ? error.message : String(error)}\n`);
      },
    );
  });
  await new Promise<void>((resolve, reject) => {
    server.once('error', (error) => {
      reject(portFault(error, { host, port, setting: 'metrics.port (VERBALIS_METRICS_PORT)' }));
    });
    server.listen(port, host, resolve);
  });
  return {
    port: (server.address() as AddressInfo).port,
    close: () =>
      new Promise<void>((resolve) => {
        server.close(() => {
          resolve();
        });
        server.closeAllConnections();
      }),
  };
}
