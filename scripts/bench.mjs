// npm run bench: installs and builds what is missing, then prints ratios measured side by side in one run.
import { build, chromiumPath, installDebian, installPackages, run } from './setup.mjs';

await installPackages();
await installDebian([[chromiumPath, 'chromium']]);
await build();
run(process.execPath, ['bench/throughput.mjs']);
run(process.execPath, ['bench/users.mjs']);
run(process.execPath, ['bench/samples.mjs']);
run(process.execPath, ['bench/recording.mjs']);
run(process.execPath, ['bench/har-import.mjs']);
run(process.execPath, ['bench/project-files.mjs']);
run(process.execPath, ['bench/run-room.mjs']);
run(process.execPath, ['bench/explain.mjs']);
run(process.execPath, ['bench/turning.mjs']);
run(process.execPath, ['bench/soak.mjs', '3']);
// Measured times are compared with a model, so nothing else may use the processors meanwhile.
run('npx', ['jest', '--runInBand', '--testMatch', '**/*.bench.ts']);
