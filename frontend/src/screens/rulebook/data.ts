import type { Tree } from "../../parts/condition/tree";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { createContext, useCallback, useContext, useEffect, useMemo, useRef, useState } from "react";
import { toast } from "sonner";
import { keepBegun, readBegun } from "./begun";
import { hasHalfMade, resumed, same } from "./edits";
import { api, ok, Problem, sentence } from "../../api/client";
import { isReachable, onReachable } from "../../api/reach";
import { isLeaving, noteUnsaved } from "../../parts/belongings";
import type { components } from "../../api/schema";

export type Overview = components["schemas"]["RulebookShape"];
export type Words = components["schemas"]["VocabularyShape"];
export type Review = components["schemas"]["ReviewShape"];
export type Finding = components["schemas"]["FindingShape"];
export type Difference = components["schemas"]["DifferenceShape"];
export type Rehearsal = components["schemas"]["RehearsalShape"];
export type Outcome = components["schemas"]["OutcomeShape"];
export type Job = components["schemas"]["JobShape"];
export type EntryAbout = components["schemas"]["RulebookEntryShape"];

/** The parts of a rulebook's document that the editors know by name. */
export interface Entry {
  key: string;
}
export interface Action {
  do: string;
  field?: string;
  value?: unknown;
  team?: string;
  person?: string;
  who?: string[];
  message?: string;
  tasks?: string[];
  tags?: string[];
  text?: string;
  title?: string;
  service?: string;
  hook?: string;
}
export interface Step extends Entry {
  name?: string;
  clock: string;
  moment: Record<string, number>;
  if?: Tree | null;
  then: Action[];
}
export interface Agreement extends Entry {
  name: string;
  description?: string;
  owner?: string;
  kind: "customer" | "team" | "supplier";
  status?: string;
  starts?: string | null;
  ends?: string | null;
  scope: Tree;
  calendar: string;
  targets: Record<string, Record<string, number | string | null>>;
  pauses_on?: string[];
  answer_pauses_on?: string[];
  steps?: Step[];
}
export interface Rule extends Entry {
  name: string;
  description?: string;
  when: string[];
  if: Tree;
  then: Action[];
  stop?: boolean;
  is_on?: boolean;
}
export type Hours = Record<string, [string, string][]>;
export interface Calendar extends Entry {
  name: string;
  zone: string;
  valid_from?: string | null;
  valid_to?: string | null;
  weeks: { from: string; hours: Hours }[];
  exceptions?: { date: string; hours: [string, string][]; name?: string }[] | null;
}
export interface Matrix {
  impact: string[];
  urgency: string[];
  cells: (number | null)[][];
}
export interface Question extends Entry {
  asks: string;
  kind: string;
  sets?: string | null;
  choices: { key: string; label: string; level?: number }[];
}
export interface FormField {
  field: string;
  requester?: Record<string, boolean>;
  agent?: Record<string, boolean>;
  default?: unknown;
  required_at?: string[];
}
export interface Form extends Entry {
  name: string;
  kind?: string;
  categories?: string[];
  fields: FormField[];
  effects?: { if: Tree; then: { do: string; field: string; value?: unknown; choices?: string[] }[] }[];
}
export interface Routing {
  weights: Record<string, number>;
  teams: { team: string; mode: string; exempt?: Tree | null; members?: { person: string; skills?: string[]; cap?: number | null }[] }[];
  chains: { service: string; teams: string[] }[];
}
export type Document = Record<string, unknown>;

export const NEEDLE = ["rulebook"] as const;

export function useOverview() {
  return useQuery({ queryKey: [...NEEDLE, "overview"], queryFn: () => ok(api.GET("/api/rulebook")), refetchInterval: 10_000 });
}

export function useDocument(which: string) {
  return useQuery({
    queryKey: [...NEEDLE, "document", which],
    queryFn: async () => (await ok(api.GET("/api/rulebook/documents/{which}", { params: { path: { which } } }))).document,
    refetchInterval: which === "draft" ? 10_000 : false,
    // The first edit turns the edition into a draft: what is on the screen stays there.
    placeholderData: (old) => old,
  });
}

export function useWords() {
  return useQuery({ queryKey: [...NEEDLE, "words"], queryFn: () => ok(api.GET("/api/rulebook/words")), staleTime: 30_000 }).data;
}

export function useReview(isOn: boolean) {
  return useQuery({
    queryKey: [...NEEDLE, "review"],
    queryFn: () => ok(api.GET("/api/rulebook/draft/review")),
    enabled: isOn,
    retry: false,
  });
}

/** Of each entry of a section (or of all): its name, what names it, who changed it last. */
export function useAllEntries(isOn = true) {
  return useQuery({
    queryKey: [...NEEDLE, "entries"],
    queryFn: () => ok(api.GET("/api/rulebook/entries/{which}", { params: { path: { which: "latest" } } })),
    enabled: isOn,
    staleTime: 30_000,
    placeholderData: (old) => old,
  }).data;
}

export function useEntries(section: string): Map<string, EntryAbout> {
  const all = useAllEntries();
  return useMemo(() => new Map(all?.filter((one) => one.section === section).map((one) => [one.key, one])), [all, section]);
}

/** Everything that was read of the rulebook is read again. */
export function useReadAgain() {
  const queries = useQueryClient();
  return useCallback(() => {
    void queries.invalidateQueries({ queryKey: NEEDLE });
    for (const key of ["choices", "fields", "form"]) void queries.invalidateQueries({ queryKey: [key] });
  }, [queries]);
}

interface Change {
  section: string;
  key: string;
  before: unknown;
  after: unknown;
  position?: number;
  /** Whether its key is its name and another one now, also wherever others say it. */
  is_rename?: boolean;
}

/** Change one entry of the draft; begins the draft if there is none. */
export function useEdit() {
  const readAgain = useReadAgain();
  return useMutation({
    mutationFn: (change: Change) =>
      ok(api.POST("/api/rulebook/draft/edits", { body: { is_rename: false, ...change, before: change.before, after: change.after } })),
    onSuccess: readAgain,
    onError: (error) => {
      if (!(error instanceof Problem && error.status === 409)) toast.error(sentence(error));
    },
  });
}

export interface Book {
  document: Document;
  words: Words;
  which: string;
}
export const BookContext = createContext<Book | null>(null);

export function useBook(): Book {
  const book = useContext(BookContext);
  if (!book) throw new Error("useBook outside of the rulebook page");
  return book;
}

/** The fields conditions can ask about, as the sentence builder wants them. */
export function fieldsOf(words: Words) {
  return words.fields.map((field) => ({ ...field }));
}

const SAVE_AFTER_MS = 600;

export interface Editing<T> {
  value: T;
  set: (value: T) => void;
  /** What somebody else made of it while it was being edited here. */
  theirs: T | null;
  keepTheirs: () => void;
  keepMine: () => void;
  problem: string;
  isSaving: boolean;
}

/**
 * One entry being edited: kept in the draft a moment after the last change, refused with
 * what somebody else made of it, and never written over silently.
 */
export function useEntry<T>(section: string, key: string, stored: T): Editing<T> {
  const edit = useEdit();
  const [begun] = useState(() => resumed(stored, readBegun<T>(section, key), Date.now()));
  const [value, setValue] = useState<T>(begun.value);
  const [theirs, setTheirs] = useState<T | null>(null);
  const [problem, setProblem] = useState("");
  const base = useRef<T>(begun.base);
  const latest = useRef<T>(begun.value);
  const sent = useRef<T[]>([]);
  const timer = useRef<ReturnType<typeof setTimeout> | undefined>(undefined);
  const running = useRef(false);

  // What is not known to be on the server stays in this browser until it is.
  const keep = useCallback(() => {
    const isKept = same(latest.current, base.current);
    keepBegun(section, key, isKept ? null : { base: base.current, sent: sent.current, value: latest.current, at: Date.now() });
  }, [key, section]);
  const save = useCallback(() => {
    clearTimeout(timer.current);
    timer.current = undefined;
    noteUnsaved(`rulebook:${section}:${key}`, null);
    if (running.current && !isLeaving()) {
      timer.current = setTimeout(save, 200);
      return;
    }
    // A half-made condition is not kept yet: it says nothing so far.
    if (same(latest.current, base.current) || hasHalfMade(latest.current)) return;
    const sending = latest.current;
    // A page that goes cannot wait for the answer to what it sent before.
    const before = running.current ? sent.current.at(-1) : base.current;
    sent.current.push(sending);
    keep();
    running.current = true;
    edit.mutate(
      { section, key, before, after: sending },
      {
        onSuccess: (done) => {
          base.current = done.entry as T;
          setProblem("");
          setTheirs(null);
          sent.current = [];
          if (latest.current === sending) keepBegun(section, key, null);
          else keep();
        },
        onError: (error) => {
          if (error instanceof Problem && error.status === 409) {
            const current = (error.body.current ?? null) as T | null;
            // What an earlier page sent on its way out has arrived meanwhile: it is the same.
            if (current !== null && same(current, latest.current)) {
              base.current = current;
              sent.current = [];
              keep();
            } else setTheirs(current);
          } else setProblem(sentence(error));
        },
        onSettled: () => {
          running.current = false;
        },
      },
    );
  }, [edit, keep, key, section]);
  const saving = useRef(save);
  saving.current = save;

  // What is stored changes when somebody else edits, or an edit is taken back. What was typed
  // here and is not kept yet is never replaced by it without a choice.
  useEffect(() => {
    if (running.current || timer.current) return;
    if (same(latest.current, base.current) || same(latest.current, stored)) {
      base.current = stored;
      latest.current = stored;
      setValue(stored);
      setProblem("");
      setTheirs(null);
      keep();
    } else if (!same(stored, base.current)) setTheirs(stored);
  }, [keep, stored]);
  // What could not be sent while the server was out of reach is sent when it is back.
  useEffect(
    () =>
      onReachable(() => {
        if (isReachable() && !timer.current) saving.current();
      }),
    [],
  );
  // What an earlier page could not bring to the server any more goes there now.
  useEffect(() => {
    if (!same(begun.value, begun.base) && same(begun.base, stored)) saving.current();
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, []);
  // Leaving the page keeps what was typed in the last moment, closing it too.
  useEffect(() => () => saving.current(), []);

  return {
    value,
    set: (next) => {
      latest.current = next;
      setValue(next);
      keep();
      clearTimeout(timer.current);
      timer.current = setTimeout(() => saving.current(), SAVE_AFTER_MS);
      noteUnsaved(`rulebook:${section}:${key}`, () => saving.current());
    },
    theirs,
    keepTheirs: () => {
      if (theirs === null) return;
      base.current = theirs;
      latest.current = theirs;
      setValue(theirs);
      setTheirs(null);
      keep();
    },
    keepMine: () => {
      if (theirs === null) return;
      base.current = theirs;
      setTheirs(null);
      saving.current();
    },
    problem,
    isSaving: edit.isPending,
  };
}
