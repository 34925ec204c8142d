import { Graph, layout } from "@dagrejs/dagre";
import type { components } from "../../api/schema";

export type MapNode = components["schemas"]["MapNodeShape"];
export type MapEdge = components["schemas"]["MapEdgeShape"];
export type MapData = components["schemas"]["MapShape"];

export interface Placed {
  node: MapNode;
  x: number;
  y: number;
}

export interface Line {
  edge: MapEdge;
  points: { x: number; y: number }[];
}

export interface Laid {
  nodes: Placed[];
  lines: Line[];
  bands: { layer: string; top: number }[];
  width: number;
  height: number;
}

export const NODE_WIDTH = 109;
export const NODE_HEIGHT = 40;
const ABREAST = 7;
const FAR = 4;
const GAP = 6;
const ROW_GAP = 26;
/** More than this is not laid out at once: the nearest are, and the reader walks outward. */
export const MOST_LAID = 250;

/**
 * The part of a map that one look takes in: what lies nearest, step by step, to some nodes – to
 * the services where none is given –, of one step the hurt and the vital first.
 */
export function nearest(data: MapData, from: string[], most: number): MapData {
  if (data.nodes.length <= most) return data;
  const known = new Map(data.nodes.map((node) => [node.id, node]));
  const beside = new Map<string, string[]>();
  const join = (one: string, other: string) => {
    const found = beside.get(one);
    if (found) found.push(other);
    else beside.set(one, [other]);
  };
  for (const edge of data.edges) {
    join(edge.from, edge.to);
    join(edge.to, edge.from);
  }
  const weight = (id: string) => {
    const node = known.get(id);
    return node ? node.criticality - 10 * node.incidents - node.changes : 0;
  };
  const heaviest = (names: Iterable<string>) => [...names].sort((one, other) => weight(one) - weight(other) || one.localeCompare(other));
  const begin = from.filter((id) => known.has(id));
  let step = heaviest(begin.length > 0 ? begin : data.nodes.filter((node) => node.layer === data.layers[0]).map((node) => node.id));
  if (step.length === 0) step = heaviest(known.keys()).slice(0, 1);
  const kept = new Set<string>();
  while (step.length > 0 && kept.size < most) {
    for (const id of step.slice(0, most - kept.size)) kept.add(id);
    const next = new Set(step.flatMap((id) => beside.get(id) ?? []));
    step = heaviest([...next].filter((id) => known.has(id) && !kept.has(id)));
  }
  return {
    ...data,
    nodes: data.nodes.filter((node) => kept.has(node.id)),
    edges: data.edges.filter((edge) => kept.has(edge.from) && kept.has(edge.to)),
  };
}

/**
 * Where each node stands. The library finds the places and untangles the lines; the rows – layer
 * after layer, no more abreast than fit – are held by anchors that nobody sees: each node hangs
 * between the anchor of its row and that of the next.
 */
export function laid({ nodes, edges, layers }: Pick<MapData, "nodes" | "edges" | "layers">): Laid {
  const graph = new Graph();
  graph.setGraph({ rankdir: "TB", nodesep: 8, ranksep: 12, edgesep: 2, marginx: 4, marginy: 8 });
  graph.setDefaultEdgeLabel(() => ({}));
  const rows = rowsOf(nodes, edges, layers);
  rows.forEach((row, index) => {
    graph.setNode(`row ${index}`, { width: 1, height: 1 });
    if (index > 0) graph.setEdge(`row ${index - 1}`, `row ${index}`, { weight: 0, minlen: 2 });
    for (const node of row) {
      graph.setNode(node.id, { width: NODE_WIDTH, height: NODE_HEIGHT });
      graph.setEdge(`row ${index}`, node.id, { weight: 0, minlen: 1 });
    }
  });
  rows.forEach((row, index) => {
    if (index + 1 < rows.length) for (const node of row) graph.setEdge(node.id, `row ${index + 1}`, { weight: 0, minlen: 1 });
  });
  const rank = new Map(rows.flatMap((row, index) => row.map((node) => [node.id, index] as const)));
  const isUp = (edge: MapEdge) => (rank.get(edge.from) ?? 0) > (rank.get(edge.to) ?? 0);
  for (const edge of edges) {
    // What stands in one row, or far apart, is joined without the library: it would lay a
    // place in every row between, and be long about it. What leads upwards is laid the other way round.
    const apart = Math.abs((rank.get(edge.from) ?? 0) - (rank.get(edge.to) ?? 0));
    if (apart === 0 || apart > FAR) continue;
    graph.setEdge(isUp(edge) ? edge.to : edge.from, isUp(edge) ? edge.from : edge.to, { weight: 2, minlen: 1 });
  }
  layout(graph);
  const orderOf = (node: MapNode) => (graph.node(node.id) as { x: number }).x;
  const widest = Math.max(1, ...rows.map((row) => row.length));
  const placed = rows.flatMap((row, index) => {
    // The order within a row is the library's; the row is then drawn together and centred.
    const left = ((widest - row.length) * (NODE_WIDTH + GAP)) / 2;
    return [...row]
      .sort((one, other) => orderOf(one) - orderOf(other))
      .map((node, at) => ({
        node,
        x: 4 + left + at * (NODE_WIDTH + GAP) + NODE_WIDTH / 2,
        y: 8 + index * (NODE_HEIGHT + ROW_GAP) + NODE_HEIGHT / 2,
      }));
  });
  const place = new Map(placed.map((one) => [one.node.id, one]));
  const lines = edges.flatMap((edge) => {
    const [from, to] = [place.get(edge.from), place.get(edge.to)];
    return from && to ? [{ edge, points: ends(from, to) }] : [];
  });
  const used = layers.filter((layer) => nodes.some((node) => node.layer === layer));
  const bands = used.map((layer) => ({
    layer,
    top: Math.min(...placed.filter((one) => one.node.layer === layer).map((one) => one.y)) - NODE_HEIGHT / 2,
  }));
  return {
    nodes: placed,
    lines,
    bands,
    width: Math.max(200, ...placed.map((one) => one.x + NODE_WIDTH / 2 + 4)),
    height: Math.max(100, ...placed.map((one) => one.y + NODE_HEIGHT / 2 + 8)),
  };
}

/** A line begins and ends at the edges of its nodes that face each other. */
function ends(from: Placed, to: Placed): { x: number; y: number }[] {
  const half = Math.sign(to.y - from.y) * (NODE_HEIGHT / 2);
  return [
    { x: from.x, y: from.y + half },
    { x: to.x, y: to.y - half },
  ];
}

/** The rows of the map: of each layer what stands on others of it first, so many abreast. */
function rowsOf(nodes: MapNode[], edges: MapEdge[], layers: string[]): MapNode[][] {
  const layerOf = new Map(nodes.map((node) => [node.id, node.layer]));
  const within = edges.filter((edge) => layerOf.get(edge.from) === layerOf.get(edge.to));
  const depth = new Map(nodes.map((node) => [node.id, 0]));
  // So often at most: a circle within a layer would sink forever.
  for (let round = 0; round < 6; round += 1)
    for (const edge of within) depth.set(edge.to, Math.min(6, Math.max(depth.get(edge.to) ?? 0, (depth.get(edge.from) ?? 0) + 1)));
  return layers.flatMap((layer) => {
    const inside = nodes.filter((node) => node.layer === layer);
    const depths = [...new Set(inside.map((node) => depth.get(node.id) ?? 0))].sort((a, b) => a - b);
    return depths.flatMap((at) => {
      const row = inside.filter((node) => depth.get(node.id) === at);
      const count = Math.ceil(row.length / ABREAST);
      return Array.from({ length: count }, (_, index) =>
        row.slice(Math.round((index * row.length) / count), Math.round(((index + 1) * row.length) / count)),
      );
    });
  });
}

/** The node that an arrow key goes to: the nearest that lies that way, those straight ahead first. */
export function neighbour(nodes: Placed[], from: string, key: string): string | undefined {
  const at = nodes.find((one) => one.node.id === from);
  const way = { ArrowUp: [0, -1], ArrowDown: [0, 1], ArrowLeft: [-1, 0], ArrowRight: [1, 0] }[key];
  if (!at || !way) return undefined;
  const [dx = 0, dy = 0] = way;
  let best: string | undefined;
  let least = Infinity;
  for (const one of nodes) {
    const along = (one.x - at.x) * dx + (one.y - at.y) * dy;
    const aside = Math.abs((one.x - at.x) * dy) + Math.abs((one.y - at.y) * dx);
    if (along <= 1) continue;
    const cost = along + aside * 2.5;
    if (cost < least) {
      least = cost;
      best = one.node.id;
    }
  }
  return best;
}
