import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, ok } from "../../api/client";
import { useDebounced } from "../../parts/hooks";
import { clockTime, exact, when } from "../../parts/time";
import type { Drawn, Planned, SpanKey } from "./lanes";
import { type Grip, moved, type Span, stepOf } from "./moving";
import { clashWords, RATING_FILL } from "./words";

const ROW = 26;
/** With Shift: what each arrow does, and which way. */
const KEYS: Record<string, [Grip, number]> = {
  ArrowLeft: ["move", -1],
  ArrowRight: ["move", 1],
  ArrowUp: ["stretch", -1],
  ArrowDown: ["stretch", 1],
};
const WAITING = new Set(["draft", "assess", "authorise"]);

interface BarProps {
  bar: Drawn;
  x: (at: number) => number;
  /** How many seconds a pixel stands for. */
  seconds: number;
  spanKey: SpanKey;
  now: number;
  isClash: boolean;
  track: number;
  onMove: (change: Planned, span: Span) => void;
}

/** One change on the schedule; it is dragged, or moved by keys, and says what that would mean. */
export function ScheduleBar({ bar, x, seconds, spanKey, now, isClash, track, onMove }: BarProps) {
  const { change, row } = bar;
  const navigate = useNavigate();
  const starts = change.starts_s ?? 0;
  const ends = change.ends_s ?? starts;
  const [wanted, setWanted] = useState<Span | null>(null);
  const pull = useRef<{ x: number; grip: Grip; isMoved: boolean } | null>(null);
  const place = useRef<HTMLLIElement>(null);
  const step = stepOf(spanKey);
  const shown = wanted ?? { starts, ends };
  const left = x(shown.starts);
  const width = Math.max(9, x(shown.ends) - left);
  const isRight = left > track - 120;
  const says = `${change.title}, ${change.outcome || change.state}${change.rating ? `, risk ${change.points ?? ""} ${change.rating}` : ""}, ${when(starts, now)} to ${clockTime(ends)}${change.holder ? `, ${change.holder}` : ""}`;

  // Escape leaves it where it was, wherever the focus is while it is dragged.
  useEffect(() => {
    if (!wanted) return;
    const leave = (event: KeyboardEvent) => {
      if (event.key !== "Escape") return;
      event.stopPropagation();
      pull.current = null;
      setWanted(null);
    };
    window.addEventListener("keydown", leave, true);
    return () => window.removeEventListener("keydown", leave, true);
  }, [wanted]);

  const drop = () => {
    const span = wanted;
    setWanted(null);
    if (span && (span.starts !== starts || span.ends !== ends)) onMove(change, span);
  };
  const press = (event: React.KeyboardEvent) => {
    if (event.key === "Enter") {
      event.preventDefault();
      if (wanted) drop();
      else void navigate(`/desk/tickets/${change.id}`);
    }
    const [grip, way] = KEYS[event.key] ?? [];
    if (!change.can_move || !event.shiftKey || !grip || !way) return;
    event.preventDefault();
    setWanted(moved(shown, grip, way * step, step));
  };
  const begin = (event: React.PointerEvent, grip: Grip) => {
    if (!change.can_move || event.button !== 0) return;
    event.stopPropagation();
    event.currentTarget.setPointerCapture(event.pointerId);
    pull.current = { x: event.clientX, grip, isMoved: false };
  };
  const drag = (event: React.PointerEvent) => {
    const held = pull.current;
    if (!held) return;
    const pixels = event.clientX - held.x;
    if (!held.isMoved && Math.abs(pixels) < 4) return;
    held.isMoved = true;
    setWanted(moved({ starts, ends }, held.grip, pixels * seconds, step));
  };
  const release = () => {
    const held = pull.current;
    pull.current = null;
    if (held?.isMoved) drop();
    else if (held) void navigate(`/desk/tickets/${change.id}`);
  };
  const hold = (grip: Grip) => ({
    onPointerDown: (event: React.PointerEvent) => begin(event, grip),
    onPointerMove: drag,
    onPointerUp: release,
    onPointerCancel: () => {
      pull.current = null;
      setWanted(null);
    },
  });
  return (
    <li ref={place} className={`absolute ${wanted ? "z-20" : ""}`} style={{ left, top: row * ROW + 4 }}>
      <a
        href={`/desk/tickets/${change.id}`}
        title={wanted ? undefined : says}
        data-change={change.id}
        draggable={false}
        aria-label={`${change.id}${isClash ? " clash" : ""}: ${says}${change.can_move ? ". Shift with left and right moves it, with up and down it gets shorter and longer" : ""}`}
        className="group flex select-none items-center gap-1 whitespace-nowrap"
        style={isRight ? { flexDirection: "row-reverse", transform: `translateX(calc(-100% + ${width}px))` } : undefined}
        onClick={(event) => {
          if (event.metaKey || event.ctrlKey || event.shiftKey) return;
          event.preventDefault();
          // Where it is not held by a pointer, a click opens it.
          if (!change.can_move) void navigate(`/desk/tickets/${change.id}`);
        }}
        onKeyDown={press}
        onBlur={() => {
          if (!pull.current) setWanted(null);
        }}
      >
        <span
          {...hold("move")}
          className={`relative h-[18px] touch-none rounded-[4px] ${fillOf(change)} ${change.can_move ? "cursor-grab active:cursor-grabbing" : ""} ${change.like === "emergency" ? "outline outline-2 outline-offset-1 outline-rust" : ""} ${wanted ? "opacity-80 ring-2 ring-crown" : ""} group-focus-visible:outline group-focus-visible:outline-2`}
          style={{ width }}
        >
          <Steps change={change} width={width} seconds={seconds} />
          {change.can_move ? (
            <span
              {...hold("stretch")}
              aria-hidden="true"
              data-grip="end"
              className="absolute -right-[3px] inset-y-0 touch-none cursor-ew-resize rounded-r-[4px] group-hover:bg-crown"
              style={{ width: Math.min(8, 3 + width / 3) }}
            />
          ) : null}
        </span>
        <span className="rounded-sm bg-sheet/80 font-mono text-[12px] text-ink-2 group-hover:underline">{change.id}</span>
        {isClash && !wanted ? <b className="text-[12px] text-rust">{" clash"}</b> : null}
      </a>
      {wanted ? <Would change={change} span={wanted} place={place.current} /> : null}
    </li>
  );
}

function fillOf(change: Planned): string {
  if (WAITING.has(change.state)) return "border-[1.5px] border-dashed border-ink bg-sheet";
  if (change.is_open) return RATING_FILL[change.rating] ?? "bg-sea-2";
  return change.outcome === "done" || change.outcome === "" ? "bg-line-2" : "border border-rust bg-rust-2";
}

/** The steps of its plan one after the other, where there is room to see them. */
function Steps({ change, width, seconds }: { change: Planned; width: number; seconds: number }) {
  if (width < 60 || change.steps.length < 2) return null;
  let at = 0;
  return (
    <>
      {change.steps.slice(0, -1).map((step, index) => {
        at += (step.minutes * 60) / seconds;
        if (at > width - 6) return null;
        return <span key={index} className="absolute inset-y-[3px] w-px bg-current opacity-50" style={{ left: at }} title={step.says} />;
      })}
    </>
  );
}

/** What moving it there would mean: its new time, its risk, and with what it would clash. */
function Would({ change, span, place }: { change: Planned; span: Span; place: HTMLElement | null }) {
  const at = place?.getBoundingClientRect();
  const room = 190;
  const isAbove = (at?.bottom ?? 0) + room > window.innerHeight;
  const asked = useDebounced(`${span.starts} ${span.ends}`, 200);
  const { data } = useQuery({
    queryKey: ["weigh", change.id, asked],
    queryFn: () => {
      const [starts = 0, ends = 0] = asked.split(" ").map(Number);
      return ok(
        api.POST("/api/changes/{number}/weigh", {
          params: { path: { number: change.id } },
          body: { starts: new Date(starts * 1000).toISOString(), ends: new Date(ends * 1000).toISOString() },
        }),
      );
    },
    staleTime: 10_000,
    placeholderData: (before) => before,
  });
  const clashes = [...new Set((data?.clashes ?? []).map((one) => `${clashWords(one)}${one.name ? ` (${one.name})` : ""}`))];
  return (
    <div
      role="status"
      className="fixed z-30 w-[300px] rounded-small border border-line-2 bg-sheet px-2.5 py-1.5 text-[13px] shadow-lg"
      style={{
        left: Math.max(8, Math.min(at?.left ?? 0, window.innerWidth - 316)),
        ...(isAbove ? { bottom: window.innerHeight - (at?.top ?? 0) + 6 } : { top: (at?.top ?? 0) + 26 }),
      }}
    >
      <b className="block">
        {exact(span.starts)} to {clockTime(span.ends)}
      </b>
      {data ? (
        <>
          <span className="block">
            risk <b>{data.points}</b> {data.rating}
            {data.points !== change.points && change.points !== null ? `, was ${change.points}` : ""}
          </span>
          {clashes.length === 0 ? <span className="block text-ink-2">clashes with nothing</span> : null}
          {clashes.slice(0, 3).map((one) => (
            <span key={one} className="block text-rust">
              clash: {one}
            </span>
          ))}
          {clashes.length > 3 ? <span className="block text-rust">and {clashes.length - 3} more</span> : null}
        </>
      ) : (
        <span className="block text-ink-2">weighing it…</span>
      )}
      <span className="block text-ink-2">
        {change.state === "planned" || change.state === "authorise" ? "Moved, it is authorised again. " : ""}Let go or press Enter to keep
        it there; Escape leaves it.
      </span>
    </div>
  );
}
