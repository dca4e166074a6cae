import { defineConfig } from 'drizzle-kit';

export default defineConfig({
  dialect: 'sqlite',
  schema: ['./packages/service/src/features/*/tables.ts', './packages/service/src/kernel/tables.ts'],
  out: './packages/service/drizzle',
});
