import seedrandom from 'seedrandom';
import { containerNumber } from './container-number.js';

/** A generated table of container numbers: `count` rows, all different, from one owner code; the same seed gives the same rows. */
export function generateContainers(count: number, ownerAndCategory: string, seed: string): string[][] {
  if (!/^[A-Z]{3}[UJZ]$/.test(ownerAndCategory))
    throw new Error(`“${ownerAndCategory}” is no owner code. ISO 6346 wants three capitals and the category U, J or Z, such as TWCU.`);
  const random = seedrandom(seed);
  // A stride without a common factor with 1,000,000 visits every serial number once.
  const start = Math.floor(random() * 1_000_000);
  const stride = 2 * Math.floor(random() * 200_000) + 300_001;
  const odd = stride % 5 === 0 ? stride + 2 : stride;
  return Array.from({ length: Math.min(count, 1_000_000) }, (_, index) => [
    containerNumber(ownerAndCategory, (start + index * odd) % 1_000_000),
  ]);
}
