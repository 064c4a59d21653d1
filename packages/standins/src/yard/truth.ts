import type { Intake } from './records.js';
import { escapeHtml } from './pages.js';

/** What really happened, for people and tests; never part of a recorded flow. */
export interface Truth {
  intakes: Intake[];
  bookedCount: number;
  allocatedCount: number;
  inspectedCount: number;
  releasedCount: number;
  signedInSessions: number;
}

export function truthOf(intakes: Iterable<Intake>, signedInSessions: number): Truth {
  const all = [...intakes];
  return {
    intakes: all,
    bookedCount: all.length,
    allocatedCount: all.filter((intake) => intake.bay !== null || intake.docket !== null).length,
    inspectedCount: all.filter((intake) => intake.inspectedAt !== null).length,
    releasedCount: all.filter((intake) => intake.docket !== null).length,
    signedInSessions,
  };
}

export function truthPage(truth: Truth): string {
  const cells = (values: (string | number)[], tag = 'td') =>
    `<tr>${values.map((value) => `<${tag}>${escapeHtml(String(value))}</${tag}>`).join('')}</tr>`;
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Truth - Tidewell Yard</title>
<style>body{font:14px system-ui;margin:20px}td,th{padding:3px 12px 3px 0;text-align:left}</style></head><body>
<h1>What Yard really holds</h1><p>${truth.bookedCount} intakes, ${truth.allocatedCount} with a bay, ${truth.inspectedCount} inspected, ${truth.releasedCount} released; ${truth.signedInSessions} sessions signed in. <a href="/truth.json">as JSON</a></p>
<table>${cells(['Number', 'Container', 'Goods', 'Pallets', 'Bay', 'Docket', 'Created', 'Changed', 'By'], 'th')}${truth.intakes
    .map((intake) =>
      cells([
        intake.number,
        intake.container,
        intake.goods,
        intake.pallets,
        intake.bay ?? '',
        intake.docket ?? '',
        intake.createdAt,
        intake.changedAt,
        intake.session,
      ]),
    )
    .join('')}</table></body></html>`;
}
