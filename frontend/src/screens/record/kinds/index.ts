import type { ReactNode } from "react";
import type { Ticket } from "../../../api/client";
import { request } from "./request";

/**
 * What a kind of record adds to the page of the frame. A kind that is not here has the
 * frame's page, with the panels that the server describes.
 */
export interface KindPage {
  /** Panels before the facts of every record. */
  first?: (ticket: Ticket) => ReactNode;
}

const KINDS: Record<string, KindPage> = { request };

export function pageOf(kind: string): KindPage {
  return KINDS[kind] ?? {};
}
