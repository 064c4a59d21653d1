#!/usr/bin/env node
// The command of the package; in a clone it is `packages/cli/bin/sturdy.mjs`, which builds first what is not built.
import '@sturdy/cli';
