import type { ReactNode } from "react";
import type { Ticket } from "../../../api/client";
import { change } from "./change";
import { major } from "./major";
import { problem } from "./problem";
import { request } from "./request";

/**
 * What a kind of record adds to the page of the frame. A kind that is not here has the
 * frame's page, with the panels that the server describes.
 */
export interface KindPage {
  /** Across the page, beneath the record's life. */
  top?: (ticket: Ticket) => ReactNode;
  /** Before the conversation. */
  main?: (ticket: Ticket) => ReactNode;
  /** Links that the kind shows in a panel of its own. */
  hidesLinks?: (says: string) => boolean;
  /** Whether its panels stand before what may help, too. */
  isFirst?: boolean;
  /** Whether what helped with others, or is the same, says nothing about it. */
  hidesHelp?: boolean;
  /** Panels before the facts of every record. */
  first?: (ticket: Ticket) => ReactNode;
}

const KINDS: Record<string, KindPage> = { change, "major incident": major, problem, request };

export function pageOf(kind: string): KindPage {
  return KINDS[kind] ?? {};
}
