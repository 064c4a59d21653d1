import { defineConfig } from 'drizzle-kit';

export default defineConfig({
  dialect: 'postgresql',
  schema: './packages/server/src/store/tables.ts',
  out: './packages/server/migrations',
});
