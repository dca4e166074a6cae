import { defineConfig } from 'drizzle-kit';

export default defineConfig({
  dialect: 'sqlite',
  schema: ['./packages/service/src/store/schema.ts', './packages/service/src/kernel/tables.ts'],
  out: './packages/service/drizzle',
});
