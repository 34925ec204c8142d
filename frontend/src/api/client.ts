import createClient, { type Middleware } from "openapi-fetch";
import { isLeaving } from "../parts/belongings";
import { noteReach } from "./reach";
import type { components, paths } from "./schema";

export type Row = components["schemas"]["RowShape"];
export type Ticket = components["schemas"]["TicketShape"];
export type Entry = components["schemas"]["EntryShape"];
export type View = components["schemas"]["ViewShape"];
export type ManyPreview = components["schemas"]["ManyPreviewShape"];
export type Export = components["schemas"]["ExportShape"];
export type ManyJob = components["schemas"]["ManyJobShape"];
export type Task = components["schemas"]["TaskOutShape"];
export type Approval = components["schemas"]["ApprovalShape"];
export type Phrase = components["schemas"]["PhraseShape"];
export type Routine = components["schemas"]["RoutineShape"];
export type Clock = components["schemas"]["ClockShape"];
export type Session = components["schemas"]["Session"];
export type Me = components["schemas"]["Me"];
export type FieldAbout = components["schemas"]["FieldShape"];
export type Step = components["schemas"]["StepShape"];
export type FoundPerson = components["schemas"]["FoundPerson"];
export type MyThing = components["schemas"]["MyThingShape"];
export type MyTicket = components["schemas"]["MyTicketShape"];
export type Outage = components["schemas"]["OutageShape"];
export type Logged = components["schemas"]["LoggedShape"];
export type KeptFile = components["schemas"]["FileShape"];
export type WholeMail = components["schemas"]["WholeMailShape"];
export type ReportData = components["schemas"]["PromisesReportShape"];

/** What the server says went wrong, in a sentence a person can act on. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly fields: Record<string, string> = {},
    readonly body: Record<string, unknown> = {},
  ) {
    super(message);
  }
}

/** Counts what the server refused with fields, so that forms know that they were refused anew. */
let refusals = 0;
const refusalListeners = new Set<() => void>();

export function refusalCount(): number {
  return refusals;
}

export function onRefusal(listener: () => void): () => void {
  refusalListeners.add(listener);
  return () => refusalListeners.delete(listener);
}

let csrf = "";
/** Counts the sign-ins: what was asked before the latest one says nothing about it. */
let signIns = 0;
const signedOutListeners = new Set<() => void>();

export function setCsrf(token: string): void {
  csrf = token;
}

/** Called when the server no longer knows who this is. */
export function onSignedOut(listener: () => void): () => void {
  signedOutListeners.add(listener);
  return () => signedOutListeners.delete(listener);
}

function newKey(): string {
  return crypto.randomUUID();
}

const DOUBLE_CLICK_MS = 1500;
const sent = new Map<string, { key: string; at: number }>();

/** The same post twice in a moment is a double click: one key, so the server does it once. */
function keyFor(signature: string): string {
  const now = Date.now();
  for (const [old, { at }] of sent) if (now - at > DOUBLE_CLICK_MS) sent.delete(old);
  const known = sent.get(signature);
  if (known) return known.key;
  const key = newKey();
  sent.set(signature, { key, at: now });
  return key;
}

const headers: Middleware = {
  async onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRFToken", csrf);
    if (request.method === "POST" && !request.headers.has("Idempotency-Key"))
      request.headers.set("Idempotency-Key", isLeaving() ? newKey() : keyFor(`${request.url}\n${await request.clone().text()}`));
    return isLeaving() ? new Request(request, { keepalive: true }) : request;
  },
};

export const api = createClient<paths>({ baseUrl: window.location.origin });
api.use(headers);

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** Somebody has just signed in: a late "signed out" to an earlier question is stale. */
export function noteSignIn(): void {
  signIns += 1;
}

/** The data of an answer, or a `Problem`. */
export async function ok<T>(answer: Promise<Answer<T>>): Promise<T> {
  const askedAt = signIns;
  let settled: Answer<T>;
  try {
    settled = await answer;
  } catch (failure) {
    // Leaving the page cuts its requests off; that is no lost line.
    if (!(failure instanceof DOMException && failure.name === "AbortError")) noteReach(false);
    throw new Problem(0, "offline", "Gannet cannot be reached. What you typed is kept; try again.");
  }
  noteReach(true);
  if (settled.response.ok) return settled.data as T;
  throw problemOf(settled.response.status, settled.error, askedAt);
}

function problemOf(status: number, error: unknown, askedAt: number): Problem {
  const body = (typeof error === "object" && error !== null ? error : {}) as Record<string, unknown>;
  const detail = typeof body.detail === "string" ? body.detail : "Something went wrong. Try again.";
  const code = typeof body.code === "string" ? body.code : "error";
  if (status === 401 && askedAt === signIns) signedOutListeners.forEach((listener) => listener());
  const fields = (body.fields ?? {}) as Record<string, string>;
  if (Object.keys(fields).length > 0) {
    refusals += 1;
    refusalListeners.forEach((listener) => listener());
  }
  return new Problem(status, code, detail, fields, body);
}

/** Upload one file; multipart, so outside the typed client. */
export function upload(file: File): Promise<KeptFile> {
  return uploadTo<KeptFile>("/api/attachments", file);
}

export async function uploadTo<T>(address: string, file: File, more: Record<string, string> = {}): Promise<T> {
  const askedAt = signIns;
  const form = new FormData();
  form.append("file", file);
  for (const [name, value] of Object.entries(more)) form.append(name, value);
  const response = await fetch(address, {
    method: "POST",
    body: form,
    headers: { "X-CSRFToken": csrf },
  });
  const body: unknown = await response.json().catch(() => ({}));
  if (!response.ok) throw problemOf(response.status, body, askedAt);
  return body as T;
}

export function sentence(error: unknown): string {
  return error instanceof Error ? error.message : "Something went wrong. Try again.";
}
export type LookedAt = components["schemas"]["LookedShape"];
export type RequestFacts = components["schemas"]["RequestShape"];
export type Colleague = components["schemas"]["ColleagueShape"];
