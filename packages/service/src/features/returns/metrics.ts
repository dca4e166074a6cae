import { Gauge, type Registry } from 'prom-client';

/** @param forged emails to return paths that were never made, since the start */
export function returnMetrics(registry: Registry, forged: () => number): void {
  new Gauge({
    name: 'verbalis_returns_forged',
    help: 'Emails to return paths that were never made',
    registers: [registry],
    collect() {
      this.set(forged());
    },
  });
}
