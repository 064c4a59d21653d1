import { parseArgs } from 'node:util';
import { defaultYardSettings, type YardSettings } from './settings.js';
import { startYard } from './yard.js';

const names = Object.keys(defaultYardSettings) as (keyof YardSettings)[];
const { values } = parseArgs({
  options: Object.fromEntries(names.map((name) => [name, { type: 'string' as const }])),
});
const settings = Object.fromEntries(
  Object.entries(values).map(([name, value]) => [
    name,
    typeof defaultYardSettings[name as keyof YardSettings] === 'number' ? Number(value) : value,
  ]),
) as Partial<YardSettings>;

const yard = await startYard(settings);
process.stdout.write(`${JSON.stringify({ ready: 'yard', origin: yard.origin })}\n`);
process.on('SIGTERM', () => void yard.stop().then(() => process.exit(0)));
