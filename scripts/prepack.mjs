// Run by npm pack: builds what has changed, so that the package holds what the sources say.
import { build, installPackages } from './setup.mjs';

await installPackages();
await build();
