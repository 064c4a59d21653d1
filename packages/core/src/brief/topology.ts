import * as dagre from '@dagrejs/dagre';
import type { Brief } from './brief.schema.js';

interface Place {
  x: number;
  y: number;
}
/** What is used of a graph of dagre. */
interface LayoutGraph {
  setGraph: (settings: object) => void;
  setDefaultEdgeLabel: (label: () => object) => void;
  setNode: (id: string, size: { width: number; height: number }) => void;
  setEdge: (from: string, to: string, label: object, name: string) => void;
  graph: () => { width?: number; height?: number };
  node: (id: string) => Place & { width: number; height: number };
  edges: () => object[];
  edge: (edge: object) => { points: Place[]; label?: string } & Partial<Place>;
}
// The package names its types without the endings that modules of Node.js have, so they cannot be found.
const { graphlib, layout } = dagre as unknown as {
  graphlib: { Graph: new (options: { multigraph: boolean }) => LayoutGraph };
  layout: (graph: LayoutGraph) => void;
};

/** A host as a box, and a link as a line of points, in pixels. */
export interface Topology {
  width: number;
  height: number;
  boxes: { id: string; name: string; role: string; size: string; x: number; y: number; width: number; height: number }[];
  lines: { label: string; points: { x: number; y: number }[]; labelX: number; labelY: number }[];
}

const boxHeight = 62;
/** Width of a sign on average, at 13 px. */
const signWidth = 7;

/** Lays out hosts from left to right in the order in which they ask each other (dagre: layered drawing after Sugiyama 1981). */
export function topologyOf({ hosts, links }: Pick<Brief, 'hosts' | 'links'>): Topology {
  const graph = new graphlib.Graph({ multigraph: true });
  graph.setGraph({ rankdir: 'LR', nodesep: 26, ranksep: 70, marginx: 10, marginy: 10 });
  graph.setDefaultEdgeLabel(() => ({}));
  const textOf = ({ role, technology }: Brief['hosts'][number]) => [role, technology].filter((part) => part !== '').join(', ');
  for (const host of hosts) {
    const longest = Math.max(host.name.length, textOf(host).length, host.size.length);
    graph.setNode(host.id, { width: Math.max(110, longest * signWidth + 26), height: boxHeight });
  }
  const known = new Set(hosts.map(({ id }) => id));
  links.forEach(({ from, to, label }, at) => {
    if (known.has(from) && known.has(to) && from !== to)
      graph.setEdge(from, to, { width: label.length * signWidth, height: 16, labelpos: 'c', label }, String(at));
  });
  layout(graph);
  const { width = 0, height = 0 } = graph.graph();
  return {
    width: Math.max(1, Number.isFinite(width) ? width : 1),
    height: Math.max(1, Number.isFinite(height) ? height : 1),
    boxes: hosts.map((host) => {
      const node = graph.node(host.id);
      return {
        id: host.id,
        name: host.name,
        role: textOf(host),
        size: host.size,
        x: node.x - node.width / 2,
        y: node.y - node.height / 2,
        width: node.width,
        height: node.height,
      };
    }),
    lines: graph.edges().map((edge) => {
      const drawn = graph.edge(edge);
      return { label: drawn.label ?? '', points: drawn.points.map(({ x, y }) => ({ x, y })), labelX: drawn.x ?? 0, labelY: drawn.y ?? 0 };
    }),
  };
}

/** Colours of a drawing. */
export interface TopologyColours {
  ink: string;
  soft: string;
  line: string;
  box: string;
}
export const printColours: TopologyColours = { ink: '#1d2430', soft: '#4a5363', line: '#8a8478', box: '#ffffff' };

/** The drawing as SVG 1.1. */
export function topologySvg(topology: Topology, { ink, soft, line, box }: TopologyColours = printColours): string {
  const text = (x: number, y: number, value: string, more: string) =>
    `<text x="${x.toFixed(1)}" y="${y.toFixed(1)}" text-anchor="middle" ${more}>${escaped(value)}</text>`;
  const lines = topology.lines.map(({ points, label, labelX, labelY }) => {
    const path = points.map(({ x, y }, at) => `${at === 0 ? 'M' : 'L'}${x.toFixed(1)} ${y.toFixed(1)}`).join('');
    const words = label === '' ? '' : text(labelX, labelY - 4, label, `font-size="11.5" fill="${soft}"`);
    return `<path d="${path}" fill="none" stroke="${line}" stroke-width="1.4" marker-end="url(#tip)"/>${words}`;
  });
  const boxes = topology.boxes.map(({ name, role, size, x, y, width, height }) => {
    const middle = x + width / 2;
    return `<rect x="${x.toFixed(1)}" y="${y.toFixed(1)}" width="${width.toFixed(1)}" height="${height}" rx="6" fill="${box}" stroke="${line}"/>${text(middle, y + 21, name, `font-size="13" font-weight="600" fill="${ink}"`)}${text(middle, y + 37, role, `font-size="11.5" fill="${soft}"`)}${text(middle, y + 52, size, `font-size="11.5" fill="${soft}"`)}`;
  });
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${Math.ceil(topology.width)}" height="${Math.ceil(topology.height)}" viewBox="0 0 ${Math.ceil(topology.width)} ${Math.ceil(topology.height)}" font-family="Figtree Variable, Figtree, sans-serif"><defs><marker id="tip" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="7" markerHeight="7" orient="auto"><path d="M0 0L8 4L0 8z" fill="${line}"/></marker></defs>${lines.join('')}${boxes.join('')}</svg>`;
}

const escaped = (text: string): string => text.replace(/[&<>"]/g, (sign) => `&#${sign.charCodeAt(0)};`);
