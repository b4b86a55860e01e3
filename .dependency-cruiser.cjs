/** Imports run one way: web, server, agent, standins → contract → core; what runs on Node may write files, too. */
const only = (from, to) => ({
  name: `${from}-imports-only-${to.join('-and-')}`,
  severity: 'error',
  from: { path: `^packages/${from}/`, pathNot: '\\.test\\.ts$' },
  to: { path: '^packages/', pathNot: `^packages/(${[from, ...to].join('|')})/` },
})
/** Tests may set up what replaces the outside world, too. */
const onlyInTests = (from, to) => ({
  name: `tests-of-${from}-import-only-${to.join('-and-')}`,
  severity: 'error',
  from: { path: `^packages/${from}/.*\\.test\\.ts$` },
  to: { path: '^packages/', pathNot: `^packages/(${[from, ...to].join('|')})/` },
})
/** Layers of the server run one way, too: features → engine → store → db. */
const notUp = (from, to) => ({
  name: `${from}-does-not-import-${to.join('-or-')}`,
  severity: 'error',
  from: { path: `^packages/server/src/${from}/`, pathNot: '\\.test\\.ts$' },
  to: { path: `^packages/server/src/(${to.join('|')})/` },
})
module.exports = {
  forbidden: [
    { name: 'no-circular', severity: 'error', from: {}, to: { circular: true } },
    notUp('db', ['store', 'engine', 'features', 'http', 'live']),
    notUp('secrets', ['store', 'engine', 'features', 'live']),
    notUp('store', ['engine', 'features']),
    notUp('engine', ['features']),
    onlyInTests('core', []),
    onlyInTests('contract', ['core']),
    onlyInTests('server', ['contract', 'core', 'files', 'standins']),
    onlyInTests('agent', ['contract', 'core', 'files', 'standins']),
    onlyInTests('standins', ['contract', 'core', 'files']),
    onlyInTests('web', ['contract', 'core']),
    only('core', []),
    only('contract', ['core']),
    only('files', []),
    only('server', ['contract', 'core', 'files']),
    only('agent', ['contract', 'core', 'files']),
    only('standins', ['contract', 'core', 'files']),
    only('web', ['contract', 'core']),
    {
      name: 'core-is-pure',
      severity: 'error',
      from: { path: '^packages/core/', pathNot: '\\.test\\.ts$' },
      to: {
        dependencyTypes: ['core', 'npm'],
        pathNot: 'node_modules/(ipaddr\\.js|rrule-temporal|temporal-polyfill|(@types/)?semver)/',
      },
    },
    {
      name: 'the-agent-carries-no-packages',
      severity: 'error',
      from: { path: '^packages/agent/', pathNot: '\\.test\\.ts$' },
      to: {
        dependencyTypes: ['npm'],
        pathNot: 'node_modules/((@types/)?ssh2|fast-xml-parser|https-proxy-agent|(@types/)?proxy-from-env)/',
      },
    },
    {
      name: 'packages-by-their-face',
      severity: 'error',
      from: { path: '^packages/([^/]+)/' },
      to: {
        path: '^packages/(core|contract)/src/.+',
        pathNot: [
          '^packages/$1/',
          '^packages/(core|contract)/src/index\\.ts$',
          '^packages/contract/src/report/index\\.ts$',
          // With a calendar in it, which the pages do not need.
          '^packages/core/src/maintenance/schedule\\.ts$',
          '^packages/core/src/callout/turns\\.ts$',
        ],
      },
    },
    {
      name: 'no-orphans',
      severity: 'error',
      from: { orphan: true, pathNot: ['\\.test\\.ts$', '\\.d\\.ts$', 'vite\\.config\\.ts$', '\\.sql$'] },
      to: {},
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    enhancedResolveOptions: { extensions: ['.ts', '.mjs', '.js', '.vue'], conditionNames: ['import', 'default'] },
  },
}
