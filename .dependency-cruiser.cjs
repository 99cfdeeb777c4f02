/** Which folder may know which: docs/architecture.md draws the same. */
const stages = ['money', 'calendar', 'charges', 'classify', 'kubernetes', 'network', 'pools', 'statements', 'markUp', 'workings', 'forecast']
const later = (stage) => stages.slice(stages.indexOf(stage) + 1)

module.exports = {
  forbidden: [
    { name: 'core-is-pure', severity: 'error', from: { path: '^core/', pathNot: '\\.test\\.ts$' }, to: { pathNot: '^core/' } },
    ...['money', 'calendar'].map((stage) => ({ name: `core-${stage}-first`, severity: 'error', from: { path: `^core/${stage}/`, pathNot: '\\.test\\.ts$' }, to: { path: `^core/(${later(stage).join('|')})/` } })),
    { name: 'charges-before-rules', severity: 'error', from: { path: '^core/charges/', pathNot: '\\.test\\.ts$' }, to: { path: '^core/(classify|pools|statements|workings)/' } },
    { name: 'page-knows-the-server-only-by-types', severity: 'error', from: { path: '^web/' }, to: { path: '^(server|demo)/', dependencyTypesNot: ['type-only'] } },
    { name: 'server-does-not-know-the-page', severity: 'error', from: { path: '^server/', pathNot: '\\.test\\.ts$' }, to: { path: '^web/' } },
    { name: 'only-the-demo-command-knows-the-demo', severity: 'error', from: { path: '^server/', pathNot: '(\\.test\\.ts$|^server/(standins/|(demo|demoMain|main)\\.ts$))' }, to: { path: '^demo/' } },
    { name: 'no-circles', severity: 'error', from: {}, to: { circular: true, viaOnly: { dependencyTypesNot: ['type-only'] } } },
  ],
  options: { tsPreCompilationDeps: true, tsConfig: { fileName: 'tsconfig.json' }, doNotFollow: { path: 'node_modules' }, enhancedResolveOptions: { extensions: ['.ts', '.vue', '.mjs', '.js'] } },
}
