/** The brief of the demo project, in the words of its made-up company. */
export const demoBrief = {
  title: 'Acceptance of Yard 4.2',
  aims: 'Show that release 4.2 serves the load of a Thursday morning in the harvest within the limits, and find at how many clerks it turns.\nShow that no key transaction became slower than in release 4.1.',
  hosts: [
    { id: 'h1', name: 'Desk browsers', role: 'clerks', technology: 'Chromium' },
    { id: 'h2', name: 'Tidewell Yard', role: 'application', technology: 'Node.js', size: '4 workers' },
    { id: 'h3', name: 'Yard database', role: 'database', technology: 'PostgreSQL', size: '2 processors, 8 GB' },
    { id: 'h4', name: 'Inspection terminal', role: 'line protocol', technology: 'embedded' },
  ],
  links: [
    { from: 'h1', to: 'h2', label: 'HTTP' },
    { from: 'h2', to: 'h3', label: 'SQL' },
    { from: 'h4', to: 'h2', label: 'TCP' },
  ],
  capacityPercent: 50,
  capacityReason: 'Half the workers of production, on a database of the same size.',
  transactions: [
    {
      id: 't1',
      transaction: 'Book intake',
      ratePerHour: 18000,
      peakHour: '09:00–10:00',
      peakFactor: 1.5,
      growthPercent: 20,
      meanMs: 200,
      percentile: { measure: 'p95', limitMs: 400 },
    },
    { id: 't2', transaction: 'Find intake', ratePerHour: 7200, peakHour: '', percentile: { measure: 'p95', limitMs: 300 } },
  ],
  defaultLimit: { measure: 'p95', limitMs: 500 },
  errorPercent: 1,
  hostLimits: [{ id: 'l1', host: 'Tidewell Yard', figure: 'processor use', limit: 70, forMinutes: 0.5 }],
  thinkTimes: [
    { id: 'p1', where: 'Before a bay is chosen', seconds: 1, reason: 'Watched at two desks; the demo plays it four times as quick.' },
  ],
  data: [{ id: 'd1', what: 'Containers that were never booked (ISO 6346)', rows: 5000, owner: 'Mara Quill' }],
  assumptions: [{ id: 'a1', text: 'The test environment holds as many intakes as production.', owner: 'Odile Marsh' }],
  risks: [
    { id: 'r1', text: 'The inspection terminal is simulated; its delay is assumed.', owner: 'Per Lund', answer: 'Measured in January' },
  ],
  questions: [{ id: 'q1', text: 'How many clerks does the harvest of 2027 need?', owner: 'Per Lund' }],
  schedule: [
    { id: 's1', day: 'Monday', what: 'Baseline and staircase', owner: 'Mara Quill' },
    { id: 's2', day: 'Thursday', what: 'Thursday morning on 4.1 and 4.2', owner: 'Mara Quill' },
  ],
};
