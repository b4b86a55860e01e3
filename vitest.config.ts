import { availableParallelism } from 'node:os'
import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vitest/config'

/** What is waited for comes at once where the machine is free; where it is not, nothing is said by waiting longer. */
const expect = { poll: { timeout: 20_000 } }

export default defineConfig({
  test: {
    // Limits of time end what hangs; they are three times what is needed, and say nothing of speed.
    // Much of what they do is waiting: for PostgreSQL, for machines. Left alone, there would be one on two cores.
    maxWorkers: Math.max(2, availableParallelism() - 1),
    projects: [
      {
        test: {
          name: 'core',
          expect,
          testTimeout: 30_000,
          // Whatever has no project of its own: a package that comes is tested without being named here.
          include: ['packages/*/src/**/*.test.ts'],
          exclude: ['packages/{web,server}/**', '**/node_modules/**'],
        },
      },
      {
        plugins: [vue()],
        test: {
          name: 'web',
          expect,
          testTimeout: 30_000,
          include: ['packages/web/src/**/*.test.ts'],
          environment: 'happy-dom',
          // Its style sheets are modules that only a bundler understands.
          server: { deps: { inline: [/element-plus/] } },
        },
      },
      {
        test: {
          name: 'hosts',
          expect,
          include: ['e2e/realHosts/*.test.ts'],
          globalSetup: './packages/server/src/testing/postgres.ts',
          testTimeout: 720_000,
          hookTimeout: 900_000,
        },
      },
      {
        test: {
          name: 'server',
          expect,
          include: ['packages/server/src/**/*.test.ts'],
          globalSetup: './packages/server/src/testing/postgres.ts',
          testTimeout: 90_000,
          hookTimeout: 180_000,
        },
      },
    ],
  },
})
