/** The walls of docs/architecture.md: what each package may import, and no circles. */
const own = ['core', 'page', 'engine', 'server', 'web', 'standins', 'cli'];
const may = {
  core: [],
  page: ['core'],
  engine: ['core', 'page'],
  server: ['core', 'page', 'engine'],
  web: ['core'],
  standins: [],
  cli: ['core', 'engine', 'server'],
};

module.exports = {
  forbidden: [
    { name: 'no-circles', severity: 'error', from: {}, to: { circular: true } },
    {
      name: 'no-circles-of-folders',
      comment: 'a folder is one subject: what it needs may not need it',
      severity: 'error',
      scope: 'folder',
      from: { path: '^packages/(core|page|engine|server|cli|standins|web)/src/' },
      to: { circular: true },
    },
    ...own.map((name) => ({
      name: `walls-of-${name}`,
      comment: `${name} may import ${may[name].join(', ') || 'nothing of ours'}`,
      severity: 'error',
      from: { path: `^packages/${name}/src` },
      to: { path: `^packages/(${own.filter((one) => one !== name && !may[name].includes(one)).join('|')})/` },
    })),
    ...['http', 'line', 'browser'].map((kind) => ({
      name: `${kind}-has-a-room`,
      comment: `what the engine knows of ${kind} stands in drivers/${kind}; only drivers/kinds.ts and the public face of the package may enter`,
      severity: 'error',
      from: {
        path: '^packages/engine/src',
        pathNot: `/drivers/${kind}/|/drivers/kinds\\.ts$|/engine/src/index\\.ts$`,
      },
      to: { path: `^packages/engine/src/drivers/${kind}/` },
    })),
    {
      name: 'core-is-pure',
      comment: 'core has no I/O: it imports no Node.js module',
      severity: 'error',
      from: { path: '^packages/core/src' },
      to: { dependencyTypes: ['core'] },
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    // Tests may look at anything.
    exclude: { path: '\\.(spec|bench)\\.ts$|/src/test/' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.walls.json' },
    enhancedResolveOptions: { exportsFields: ['exports'], conditionNames: ['import', 'default'] },
  },
};
