import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok } from "../../api/client";
import type { components } from "../../api/schema";
import { PickOne } from "../../parts/picks";
import { Button, inputClass } from "../../parts/ui";
import { fromBody, SHIPPED, toBody } from "../queue/state";
import { added, movedTo, type Part, type Place, removed, type Rows, stepped } from "./board";

interface EditorProps {
  rows: Rows;
  reports: components["schemas"]["ReportsShape"];
  onChange: (rows: Rows) => void;
}

const SHOWN = [
  { key: "figures", name: "its figures" },
  { key: "table", name: "its table" },
  { key: "drawing", name: "its drawing" },
];
const WAYS = [
  ["left", "←"],
  ["right", "→"],
  ["up", "↑"],
  ["down", "↓"],
] as const;

/** The parts of a dashboard, moved by dragging or by keys. */
export function DashboardEditor({ rows, reports, onChange }: EditorProps) {
  const [report, setReport] = useState("");
  const [show, setShow] = useState("drawing");
  const [text, setText] = useState("");
  const [dragged, setDragged] = useState<Place | null>(null);
  const all = [
    ...reports.kept.map((one) => ({ key: String(one.id), name: one.name })),
    ...reports.shipped.map((one) => ({ key: one.key, name: one.name })),
  ];
  const views = useQuery({ queryKey: ["views"], queryFn: () => ok(api.GET("/api/views")), staleTime: 60_000 });
  const lists = [
    ...(views.data ?? []).map((one) => ({ key: `v${one.id}`, name: one.name, body: one.body })),
    ...SHIPPED.map((one) => ({ key: one.key, name: one.name, body: one.body })),
  ];
  const nameOf = (part: Part) => {
    if (part.kind === "text") return "the text";
    if (part.kind === "list") return part.text ?? "a list";
    if (part.kind === "outlook") return "Looking ahead";
    if (part.kind === "schedule") return "Changes to come";
    return all.find((one) => one.key === part.report)?.name ?? "a report that is gone";
  };
  const addList = (key: string) => {
    const found = lists.find((one) => one.key === key);
    if (!found) return;
    const { filter, sort } = toBody(fromBody(found.body));
    onChange(added(rows, { kind: "list", text: found.name.slice(0, 80), show: sort, report: "", where: filter }));
  };
  const drop = (to: Place) => {
    if (dragged) onChange(movedTo(rows, dragged, to));
    setDragged(null);
  };
  return (
    <div className="mt-3">
      <ol aria-label="Rows" className="flex flex-col gap-2">
        {rows.map((row, index) => (
          <li key={index} className="flex flex-wrap gap-2 rounded-small border border-dashed border-line-2 p-2">
            {row.map((part, at) => (
              <div
                key={at}
                draggable
                onDragStart={() => setDragged({ row: index, at })}
                onDragEnd={() => setDragged(null)}
                onDragOver={(event) => event.preventDefault()}
                onDrop={(event) => {
                  event.preventDefault();
                  event.stopPropagation();
                  drop({ row: index, at });
                }}
                className={`flex cursor-grab items-center gap-2 rounded-card border border-line bg-sheet px-3 py-2 ${
                  dragged?.row === index && dragged.at === at ? "opacity-50" : ""
                }`}
              >
                <span>
                  {part.kind === "text" ? (
                    <>“{(part.text ?? "").slice(0, 60)}”</>
                  ) : (
                    <>
                      <b>{nameOf(part)}</b>{" "}
                      <span className="text-ink-2">
                        {part.kind === "list" ? "a live list" : SHOWN.find((one) => one.key === part.show)?.name}
                      </span>
                    </>
                  )}
                </span>
                {WAYS.map(([way, sign]) => (
                  <button
                    key={way}
                    type="button"
                    className="min-h-[24px] min-w-[24px] hover:bg-sea-3"
                    aria-label={`Move ${nameOf(part)} ${way}`}
                    onClick={() => onChange(stepped(rows, { row: index, at }, way))}
                  >
                    {sign}
                  </button>
                ))}
                <button
                  type="button"
                  className="min-h-[24px] text-[13px] underline"
                  aria-label={`Remove ${nameOf(part)}`}
                  onClick={() => onChange(removed(rows, { row: index, at }))}
                >
                  remove
                </button>
              </div>
            ))}
            <span
              className="min-w-[40px] flex-1"
              onDragOver={(event) => event.preventDefault()}
              onDrop={(event) => {
                event.preventDefault();
                drop({ row: index, at: row.length });
              }}
            />
          </li>
        ))}
      </ol>
      {rows.length > 0 ? (
        <p
          className="mt-2 min-h-[26px] text-[13px] text-ink-2"
          onDragOver={(event) => event.preventDefault()}
          onDrop={(event) => {
            event.preventDefault();
            drop({ row: rows.length, at: 0 });
          }}
        >
          {dragged ? "Drop it here for a row of its own." : "Drag a part elsewhere, or move it by its arrows."}
        </p>
      ) : null}
      <p className="mt-2 text-[17px] leading-[32px]">
        Add <PickOne label="Report" options={all} value={report} onChange={setReport} placeholder="a report" isAddition={report === ""} />{" "}
        as <PickOne label="Shown as" options={SHOWN} value={show} onChange={setShow} />{" "}
        <Button
          disabled={report === ""}
          onClick={() => {
            onChange(added(rows, { kind: "report", report, show, text: "", where: null }));
            setReport("");
          }}
        >
          Add it
        </Button>
      </p>
      <p className="mt-1 text-[17px] leading-[32px]">
        or a live list,{" "}
        <PickOne label="List" options={lists} value="" onChange={addList} placeholder="one of the Queue’s views" isAddition />, or{" "}
        <Button
          disabled={rows.some((row) => row.some((part) => part.kind === "outlook"))}
          onClick={() => onChange(added(rows, { kind: "outlook", report: "", show: "", text: "", where: null }))}
        >
          Looking ahead
        </Button>
        , or{" "}
        <Button
          disabled={rows.some((row) => row.some((part) => part.kind === "schedule"))}
          onClick={() => onChange(added(rows, { kind: "schedule", report: "", show: "", text: "", where: null }))}
        >
          Changes to come
        </Button>
      </p>
      <p className="mt-1 flex flex-wrap items-center gap-2">
        or
        <input
          aria-label="A text"
          placeholder="a text"
          maxLength={500}
          className={`${inputClass} !w-[360px]`}
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
        <Button
          disabled={text.trim() === ""}
          onClick={() => {
            onChange(added(rows, { kind: "text", text: text.trim(), report: "", show: "", where: null }));
            setText("");
          }}
        >
          Add the text
        </Button>
      </p>
    </div>
  );
}
