import { useState } from "react";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import { ErrorNote } from "../../parts/ui";
import { useBook, useEdit } from "./data";
import { entriesOf, keyFrom } from "./edits";

/** Windows and freezes out as a calendar, and in from one: each becomes an entry of the draft. */
export function WindowsCalendar() {
  const { document } = useBook();
  const edit = useEdit();
  const [problems, setProblems] = useState<string[]>([]);
  const [isBusy, setBusy] = useState(false);
  const read = async (file: File | undefined) => {
    if (!file) return;
    setBusy(true);
    setProblems([]);
    try {
      const text = await file.text();
      const found = await ok(api.POST("/api/changes/windows/calendar", { body: { text, zone: "Europe/London" } }));
      const taken = entriesOf(document, "windows").map((one) => one.key);
      for (const one of found.windows) {
        const key = keyFrom(one.name, taken);
        taken.push(key);
        const { starts, ends, but_on, ...rest } = one;
        const after = { key, ...rest, from: starts, to: ends, ...(but_on.length > 0 ? { except: but_on } : {}) };
        await edit.mutateAsync({ section: "windows", key, before: null, after });
      }
      setProblems(found.problems);
      toast(found.windows.length === 1 ? "One window is in the draft." : `${found.windows.length} windows are in the draft.`);
    } catch (error) {
      setProblems([sentence(error)]);
    } finally {
      setBusy(false);
    }
  };
  return (
    <div className="mt-3 text-[14px]">
      <p className="flex flex-wrap items-center gap-x-4">
        <label className={`why cursor-pointer ${isBusy ? "opacity-55" : ""}`}>
          add windows from an .ics file
          <input
            type="file"
            accept=".ics,text/calendar"
            className="sr-only"
            disabled={isBusy}
            onChange={(event) => {
              const file = event.target.files?.[0];
              event.target.value = "";
              void read(file);
            }}
          />
        </label>
        <a className="underline" href="/api/changes/windows/calendar" download>
          those in force as a calendar
        </a>
      </p>
      {problems.length > 0 ? (
        <ErrorNote>
          {problems.map((one) => (
            <span key={one} className="block">
              {one}
            </span>
          ))}
        </ErrorNote>
      ) : null}
    </div>
  );
}
