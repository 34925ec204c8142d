import { describe, expect, it } from "vitest";
import { laid, type MapData, type MapEdge, type MapNode, nearest, neighbour } from "../src/screens/services/layout";
import { pageOf, pathSentence, percent, seldom, shareWord, stoppedSentence, strengthWords } from "../src/screens/services/words";

const LAYERS = ["services", "devices", "applications", "servers", "network", "places"];

function node(id: string, layer: string): MapNode {
  return {
    id,
    name: id,
    kind: "server",
    layer,
    place: "",
    life: "in use",
    criticality: 3,
    incidents: 0,
    changes: 0,
    drifts: 0,
    is_fold: false,
    count: 1,
    fold: "",
  };
}

const edge = (from: string, to: string): MapEdge => ({ from, to, strength: "hard", group: "", count: 1 });

const NODES = [
  node("booking", "services"),
  node("site", "applications"),
  node("times", "applications"),
  node("db", "servers"),
  node("lone", "servers"),
  node("switch", "network"),
  node("till", "devices"),
];
const EDGES = [edge("booking", "site"), edge("site", "times"), edge("times", "db"), edge("db", "switch"), edge("till", "site")];

describe("the layout of the map", () => {
  const drawing = laid({ nodes: NODES, edges: EDGES, layers: LAYERS });
  const at = new Map(drawing.nodes.map((one) => [one.node.id, one]));

  it("keeps each layer below the one before it, what stands alone too", () => {
    const spans = LAYERS.map((layer) => drawing.nodes.filter((one) => one.node.layer === layer).map((one) => one.y)).filter(
      (ys) => ys.length > 0,
    );
    for (let index = 1; index < spans.length; index += 1)
      expect(Math.min(...(spans[index] ?? []))).toBeGreaterThan(Math.max(...(spans[index - 1] ?? [])));
  });

  it("draws every dependency once, from what stands to what it stands on", () => {
    expect(drawing.lines).toHaveLength(EDGES.length);
    for (const line of drawing.lines) {
      const first = line.points[0];
      const from = at.get(line.edge.from);
      expect(Math.abs((first?.y ?? 0) - (from?.y ?? 0))).toBeLessThanOrEqual(21);
    }
  });

  it("lays no node over another and stays within its frame", () => {
    for (const one of drawing.nodes) {
      expect(one.x).toBeLessThan(drawing.width);
      expect(one.y).toBeLessThan(drawing.height);
      for (const other of drawing.nodes)
        if (one !== other) expect(Math.abs(one.x - other.x) >= 108 || Math.abs(one.y - other.y) >= 40).toBe(true);
    }
  });

  it("survives a circle and an edge to what is not drawn", () => {
    const round = laid({ nodes: NODES, edges: [...EDGES, edge("db", "times")], layers: LAYERS });
    expect(round.nodes).toHaveLength(NODES.length);
  });

  it("lays two hundred and fifty nodes", () => {
    const nodes = Array.from({ length: 250 }, (_, index) => node(`n${index}`, LAYERS[index % 6] ?? "devices"));
    const edges = Array.from({ length: 400 }, (_, index) => edge(`n${index % 250}`, `n${(index * 7 + 1) % 250}`)).filter(
      (one) => one.from !== one.to,
    );
    expect(laid({ nodes, edges, layers: LAYERS }).nodes).toHaveLength(250);
  });

  it("walks by arrow keys to the nearest that way, and stops at the edge", () => {
    expect(neighbour(drawing.nodes, "booking", "ArrowDown")).toBe("till");
    expect(neighbour(drawing.nodes, "booking", "ArrowUp")).toBeUndefined();
    expect(neighbour(drawing.nodes, "nobody", "ArrowDown")).toBeUndefined();
    expect(neighbour(drawing.nodes, "booking", "Enter")).toBeUndefined();
  });
});

const LOST = { id: "item-1", name: "x", kind: "server", criticality: 1, share: 1, fold: "", path: [] };

describe("the words of the map", () => {
  it.each([
    [1, "100 %"],
    [0.5, "50 %"],
    [0.0625, "6 %"],
    [0.004, "0.4 %"],
    [0.0001, "under 0.1 %"],
  ])("says a share of %f as %s", (share, said) => expect(percent(share)).toBe(said));

  it.each([
    [1, "wholly"],
    [0.5, "half"],
    [0.25, "a quarter"],
  ])("says a step of %f as %s", (share, said) => expect(shareWord(share)).toBe(said));

  it("tells a path as a sentence down to what stopped", () => {
    const step = (node: string, on: string, share: number, group = "") => ({ node, name: node, on, share, strength: "", group });
    expect(pathSentence([step("a", "Pay system", 1), step("b", "Roster", 0.5), step("c", "Database 2", 0.25, "data")])).toBe(
      "it stands wholly on Pay system, that half on Roster, that a quarter on Database 2 (one of data)",
    );
  });

  it.each([
    [{ services: 7, all_services: 13, items: 8 }, "7 of 13 services lose something, through 8 items"],
    [{ services: 1, all_services: 13, items: 1 }, "1 of 13 services loses something, through 1 item"],
    [{ services: 1, all_services: 13, items: 0, affected: [] }, "Nothing else loses anything"],
  ])("counts what is hurt: %o", (counts, said) => {
    expect(stoppedSentence({ struck: [], affected: [LOST], ...counts, people: 0, departments: [], lost_groups: [] })).toBe(said);
  });

  it("names how strongly one thing stands on another", () => {
    expect(strengthWords("hard", "")).toBe("wholly");
    expect(strengthWords("soft", "")).toBe("partly");
    expect(strengthWords("redundant", "core switches")).toBe("one of core switches: one is enough");
  });

  it.each([
    [60, "seldom"],
    [600, "very seldom"],
    [1700, "hardly ever"],
  ])("says of once in %i fortnights: %s", (fortnights, said) => expect(seldom(fortnights)).toBe(said));

  it("knows the page of each kind of node", () => {
    expect(pageOf("service-3")).toBe("/desk/services/3");
    expect(pageOf("item-45")).toBe("/desk/items/45");
  });
});

describe("what one look takes in", () => {
  const chain = Array.from({ length: 40 }, (_, at) => node(`n${at}`, at === 0 ? "services" : "servers"));
  const data: MapData = {
    nodes: chain,
    edges: chain.slice(1).map((one, at) => edge(`n${at}`, one.id)),
    layers: LAYERS,
    folded: 0,
    left_out: 0,
    drift: 0,
  };
  const names = (found: MapData) => found.nodes.map((one) => one.id);
  it("is all of it while it fits", () => expect(nearest(data, [], 40)).toBe(data));
  it("is what lies nearest to the services, and only lines between what is drawn", () => {
    const found = nearest(data, [], 5);
    expect(names(found)).toEqual(["n0", "n1", "n2", "n3", "n4"]);
    expect(found.edges.every((one) => names(found).includes(one.from) && names(found).includes(one.to))).toBe(true);
  });
  it("is what lies nearest to what stops, on both sides of it", () =>
    expect(names(nearest(data, ["n20"], 5))).toEqual(["n18", "n19", "n20", "n21", "n22"]));
  it("takes the hurt of one step first when a step does not fit", () => {
    const star = {
      ...data,
      nodes: chain.map((one) => (one.id === "n33" ? { ...one, incidents: 2 } : one)),
      edges: chain.slice(1).map((one) => edge("n0", one.id)),
    };
    expect(names(nearest(star, [], 2))).toEqual(["n0", "n33"]);
  });
  it("draws something even of what hangs together nowhere", () => {
    const loose = { ...data, nodes: chain.slice(1), edges: [] };
    expect(names(nearest(loose, [], 5))).toHaveLength(1);
  });
});
