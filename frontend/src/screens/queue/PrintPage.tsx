import { useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { api, ok, type Row, sentence } from "../../api/client";
import { useNow } from "../../parts/hooks";
import { valueOf } from "../../parts/list/cells";
import { cellWords } from "../../parts/list/cells";
import { dueWords } from "../../parts/state";
import { exact } from "../../parts/time";
import { Button, ErrorNote, Loading } from "../../parts/ui";
import { useFields } from "./SentenceFilter";

const MOST = 500;

/** A list as a clean sheet of paper: at most ten pages' worth of rows. */
export function PrintPage() {
  const [params] = useSearchParams();
  const fields = useFields();
  const now = useNow();
  const [filter, sort, columns] = [params.get("filter") ?? "", params.get("sort") ?? "", params.get("columns") ?? ""];
  const { data, error } = useQuery({
    queryKey: ["print", filter, sort, columns],
    queryFn: async () => {
      const rows: Row[] = [];
      let cursor: string | null = "";
      let words = "";
      while (cursor !== null && rows.length < MOST) {
        const page: { rows: Row[]; next_cursor: string | null; sentence: string } = await ok(
          api.GET("/api/tickets", { params: { query: { filter, sort, columns, cursor } } }),
        );
        rows.push(...page.rows);
        cursor = page.next_cursor;
        words = page.sentence;
      }
      return { rows, words, isCut: cursor !== null };
    },
  });
  if (error)
    return (
      <div className="p-6">
        <ErrorNote>{sentence(error)}</ErrorNote>
      </div>
    );
  if (!data) return <Loading what="the list" />;
  const names = columns.split(",").filter(Boolean);
  return (
    <div className="mx-auto max-w-[1100px] bg-sheet p-6">
      <div className="no-print mb-4 flex gap-2">
        <Button tone="sea" onClick={() => window.print()}>
          Print
        </Button>
        <Button onClick={() => window.close()}>Close</Button>
      </div>
      <h1 className="text-lg font-bold">{data.words}</h1>
      <p className="mb-3 text-ink-2">
        {data.rows.length} tickets{data.isCut ? " (there are more; the first are here)" : ""}, {exact(now)}
      </p>
      <table className="w-full border-collapse text-[12px]">
        <thead>
          <tr>
            {[
              "number",
              "",
              "what",
              "service",
              "assignee",
              "due",
              ...names.map((name) => fields.find((field) => field.name === name)?.label ?? name),
            ].map((head) => (
              <th key={head} scope="col" className="border-b border-ink px-1 py-1 text-left">
                {head}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {data.rows.map((row) => (
            <tr key={row.id} className="break-inside-avoid border-b border-line align-top">
              <td className="px-1 py-1 font-mono">{row.id}</td>
              <td className="px-1 py-1 font-bold">P{row.priority}</td>
              <td className="px-1 py-1">{row.title}</td>
              <td className="px-1 py-1">{row.service}</td>
              <td className="px-1 py-1">{row.holder ?? `unassigned, ${row.team}`}</td>
              <td className="px-1 py-1">{dueWords(row, now) || row.state}</td>
              {names.map((name) => (
                <td key={name} className="px-1 py-1">
                  {fields.find((field) => field.name === name)?.type === "instant" && typeof valueOf(row, name) === "number"
                    ? exact(valueOf(row, name) as number)
                    : cellWords(valueOf(row, name))}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
