import * as z from 'zod';
import { SeriesKeySchema, type SeriesKey } from './series.js';

/** A series in a lane. */
export const DrawnSeriesSchema = z.object({
  key: SeriesKeySchema,
  /** On which side its axis stands; two series of one side share it. */
  axis: z.enum(['left', 'right']).default('left'),
  /** Length of the window of a moving mean, in seconds; 1 draws what was measured. */
  smoothSeconds: z.number().int().min(1).max(600).default(1),
});
export type DrawnSeries = z.infer<typeof DrawnSeriesSchema>;

export const ViewLaneSchema = z.object({
  id: z.string(),
  series: z.array(DrawnSeriesSchema).max(12, 'A lane holds twelve series at the most.'),
});
export type ViewLane = z.infer<typeof ViewLaneSchema>;

/** Which series stand in which lane; kept with the project, and shown of any run. */
export const SavedViewSchema = z.object({
  id: z.string(),
  name: z.string().trim().min(1, 'Give the view a name.').max(80),
  lanes: z.array(ViewLaneSchema).max(10, 'A view has ten lanes at the most.'),
});
export type SavedView = z.infer<typeof SavedViewSchema>;

const drawn = (key: SeriesKey, axis: DrawnSeries['axis'] = 'left'): DrawnSeries => ({ key, axis, smoothSeconds: 1 });

/** The view with which everybody begins. */
export const plainView: SavedView = {
  id: 'plain',
  name: 'Users, response time, failures',
  lanes: [
    { id: 'l1', series: [drawn({ kind: 'users' }), drawn({ kind: 'time', transaction: null, step: null, measure: 'count' }, 'right')] },
    {
      id: 'l2',
      series: [
        drawn({ kind: 'time', transaction: null, step: null, measure: 'p50' }),
        drawn({ kind: 'time', transaction: null, step: null, measure: 'p95' }),
      ],
    },
    { id: 'l3', series: [drawn({ kind: 'time', transaction: null, step: null, measure: 'failed' })] },
  ],
};
