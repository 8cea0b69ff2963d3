import { defineConfig } from 'vitest/config'
import { IS_LONG } from '../support/long.ts'

// Real packets in namespaces: needs the rights to make them. They mostly wait, so that four go on two cores,
// and each file has a network of its own. A packet may be lost where the machine is busy: a test that failed
// runs once more, which the report shows. Some run again with a router that has only a shell, over each SSH
// server.
export default defineConfig({
  test: {
    testTimeout: 60_000,
    hookTimeout: 60_000,
    retry: 1,
    maxWorkers: 4,
    projects: [
      project('router', null, ['gateway/*']),
      project('openssh', 'openssh', [
        'gateway/names',
        ...(IS_LONG ? ['gateway/allowances', 'gateway/usage', 'gateway/hardening'] : []),
      ]),
      ...(IS_LONG ? [project('dropbear', 'dropbear', ['gateway/conformance'])] : []),
      project('package', null, ['package/*']),
      project('servers', null, ['servers/*']),
    ],
  },
})

/** Some test files, with the gateway on the router or reaching it over an SSH server. */
function project(name: string, via: string | null, files: readonly string[]) {
  return {
    extends: true as const,
    test: {
      name,
      include: files.map((file) => `tests/${file}.test.ts`),
      env: via === null ? {} : { KAIROSTAT_TEST_VIA: via },
    },
  }
}
