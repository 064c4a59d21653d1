// Records the takes of Tidewell Yard that are in this folder: all transactions, one worker each, made by the browser itself as HAR.
// usage: node bench/correlation/record-yard.mjs   (needs Chromium; writes yard/take-1.har to take-3.har)
import { fileURLToPath } from 'node:url';
import { checkDigit, playYardRobot, startYard } from '../../packages/standins/dist/index.js';

const yard = await startYard({ port: 4701 });
const workers = [
  { user: 'mara', goods: 'Frozen cod', pallets: 20 },
  { user: 'jonas', goods: 'Chilled salmon', pallets: 18 },
  { user: 'ines', goods: 'Frozen peas', pallets: 17 },
];
for (const [index, worker] of workers.entries()) {
  const firstTen = `TWCU77000${index}`;
  await playYardRobot({
    ...worker,
    origin: yard.origin,
    transactions: ['sign-in', 'book-intake', 'allocate-bay', 'find-intake', 'release-load', 'sign-out'],
    container: firstTen + checkDigit(firstTen),
    bayChoice: index,
    recordHar: fileURLToPath(new URL(`yard/take-${index + 1}.har`, import.meta.url)),
  });
}
await yard.stop();
