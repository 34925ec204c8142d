import { api, ok } from "../../api/client";
import type { Found } from "../../parts/Finder";

/** Services and items by a part of their name; a service's number is given as a negative one. */
export async function findNodes(words: string): Promise<Found[]> {
  const [services, items] = await Promise.all([
    ok(api.GET("/api/services")),
    ok(api.GET("/api/estate/items", { params: { query: { words } } })),
  ]);
  const folded = words.toLowerCase();
  return [
    ...services.filter((one) => one.name.toLowerCase().includes(folded)).map((one) => ({ id: -one.id, name: one.name, note: "service" })),
    ...items.rows.slice(0, 8).map((one) => ({ id: one.id, name: one.name, note: `${one.kind}${one.place ? `, ${one.place}` : ""}` })),
  ].slice(0, 9);
}

/** The node of what was found. */
export function nodeOf(id: number): string {
  return id > 0 ? `item-${id}` : `service-${-id}`;
}

/** People by words, with their department and place beside the name. */
export async function findPeople(words: string) {
  const found = await ok(api.GET("/api/people", { params: { query: { q: words } } }));
  return found.map((one) => ({ id: one.id, name: one.name, note: [one.department, one.place].filter(Boolean).join(", ") }));
}
