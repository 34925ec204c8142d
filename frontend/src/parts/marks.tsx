import type { ReactNode } from "react";
import type { Row } from "../api/client";

/** Priority by weight, never by colour: solid, outline, grey outline, bare. */
export function PriorityMark({ priority }: { priority: number }) {
  const looks: Record<number, string> = {
    1: "bg-ink text-sheet border-ink",
    2: "border-ink text-ink",
    3: "border-line-2 text-ink-2",
    4: "border-transparent text-ink-2",
  };
  return (
    <span
      className={`inline-block w-[26px] shrink-0 rounded-[5px] border-[1.5px] text-center text-[12px] font-bold leading-[17px] ${looks[Math.min(priority, 4)]}`}
    >
      P{priority}
    </span>
  );
}

const SHAPES: Record<string, ReactNode> = {
  incident: <circle cx="6" cy="6" r="4.4" fill="none" stroke="currentColor" strokeWidth="2.2" />,
  "major incident": (
    <>
      <circle cx="6" cy="6" r="4.8" fill="none" stroke="currentColor" strokeWidth="1.4" />
      <circle cx="6" cy="6" r="2" fill="none" stroke="currentColor" strokeWidth="1.4" />
    </>
  ),
  problem: <path d="M6 1.4 L11 10.6 L1 10.6 Z" fill="none" stroke="currentColor" strokeWidth="2" strokeLinejoin="round" />,
  request: <rect x="1.5" y="1.5" width="9" height="9" fill="none" stroke="currentColor" strokeWidth="2.2" />,
};

/** The outline shape of a record's kind, always beside its number. */
function KindMark({ kind }: { kind: string }) {
  return (
    <svg width="11" height="11" viewBox="0 0 12 12" aria-hidden="true" className="shrink-0">
      {SHAPES[kind] ?? <path d="M6 1.2 L10.8 6 L6 10.8 L1.2 6 Z" fill="none" stroke="currentColor" strokeWidth="2" />}
    </svg>
  );
}

export function Number({ row }: { row: Pick<Row, "id" | "kind"> }) {
  return (
    <span className="inline-flex items-center gap-1.5 text-ink-2">
      <KindMark kind={row.kind} />
      <span className="sr-only">{row.kind} </span>
      <span className="font-mono text-[13px]">{row.id}</span>
    </span>
  );
}

/** Markers are derived from events by the server; they are shown only when true. */
export function Markers({ row, me }: { row: Row; me: number | undefined }) {
  const shown: [string, string][] = [];
  if (row.handed_to_id !== null && row.handed_to_id === me) shown.push(["handed to you", "border border-line-2 bg-sheet"]);
  if (row.is_unread) shown.push(["unread", "bg-crown-2"]);
  if (row.is_answered) shown.push(["answered", "bg-sea-2/70"]);
  else if (row.needs_reply && !row.is_unread) shown.push(["needs reply", "border border-line-2 bg-sheet"]);
  if (row.is_announced) shown.push(["announced", "bg-rust-2"]);
  if (row.is_confidential) shown.push(["confidential", "border border-ink"]);
  return (
    <>
      {shown.map(([word, look]) => (
        <span key={word} className={`ml-1.5 rounded px-1.5 text-[12px] font-semibold leading-[17px] ${look}`}>
          {word}
        </span>
      ))}
    </>
  );
}
