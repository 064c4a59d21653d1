// Before the unit tests: the packages above the core get its sources of now in one file, so that each of their files starts sooner.
import { join } from 'node:path';
import { bundleCore } from './bundle.mjs';
import { bundlePage } from './page-code.mjs';
import { root } from './setup.mjs';

export default function setup() {
  bundleCore(join(root, 'packages/core/src/index.ts'), join(root, '.sturdy/core-for-tests.cjs'), 'cjs');
  bundlePage(join(root, '.sturdy/page-for-tests.cjs'), 'cjs');
}
