import { useState } from "react";
import { api, ok } from "../../api/client";
import { findColleagues } from "../../parts/ColleaguePicker";
import { Finder } from "../../parts/Finder";
import { useDraft } from "../../parts/hooks";
import { Button, inputClass } from "../../parts/ui";
import type { Meeting } from "./CabPage";

interface AsideProps {
  meeting: Meeting;
  isBusy: boolean;
  run: (work: Promise<Meeting>, said: string) => Promise<boolean>;
}

function keep(meeting: Meeting, present: number[], notes: string): Promise<Meeting> {
  return ok(api.PUT("/api/changes/cab", { body: { at_s: meeting.at_s, present, notes, version: meeting.version } }));
}

/** Who is asked to come and why, and who is there. */
export function Attendance({ meeting, isBusy, run }: AsideProps) {
  const [guest, setGuest] = useState("");
  const present = meeting.members.filter((one) => one.is_present).map((one) => one.id);
  const set = (id: number, isThere: boolean) =>
    run(keep(meeting, isThere ? [...present, id] : present.filter((one) => one !== id), meeting.notes), "");
  return (
    <section aria-label="Attendance" className="mb-3 rounded-card border border-line bg-sheet px-3.5 py-2.5">
      <h2 className="font-bold">
        Attendance{" "}
        <span className="text-[13px] font-normal text-ink-2">
          {present.length} of {meeting.members.length}
        </span>
      </h2>
      <ul>
        {meeting.members.map((one) => (
          <li key={one.id} className="flex items-baseline gap-2 py-0.5">
            <label className="flex min-h-[24px] flex-1 items-baseline gap-2">
              <input
                type="checkbox"
                disabled={!meeting.can_run || isBusy}
                checked={one.is_present}
                onChange={(event) => void set(one.id, event.target.checked)}
              />
              {one.name}
            </label>
            <span className="text-right text-[13px] text-ink-2">
              {one.why}
              {one.is_away ? ", away" : ""}
            </span>
          </li>
        ))}
      </ul>
      {meeting.can_run ? (
        <Finder
          props={{ "aria-label": "Somebody else who came" }}
          what="Colleagues"
          find={findColleagues}
          nothing="Nobody is called that."
          hint="Somebody else"
          name={guest}
          onName={setGuest}
          onPick={(found) => {
            setGuest("");
            if (!present.includes(found.id)) void set(found.id, true);
          }}
        />
      ) : null}
    </section>
  );
}

/** What was said; it stays in the browser until it is kept. */
export function Notes({ meeting, isBusy, run }: AsideProps) {
  const draft = useDraft(`cab-${meeting.at_s}`, { typed: "", isTyped: false });
  const notes = draft.body.isTyped ? draft.body.typed : meeting.notes;
  const present = meeting.members.filter((one) => one.is_present).map((one) => one.id);
  const isOther = notes !== meeting.notes;
  return (
    <section aria-label="Notes" className="rounded-card border border-line bg-sheet px-3.5 py-2.5">
      <h2 className="font-bold">Notes</h2>
      {meeting.can_run ? (
        <>
          <textarea
            aria-label="What was said"
            rows={8}
            maxLength={20000}
            className={inputClass}
            value={notes}
            onChange={(event) => draft.set({ typed: event.target.value, isTyped: true })}
          />
          <p className="mt-1.5 flex items-center gap-2">
            <Button
              disabled={!isOther || isBusy}
              onClick={() =>
                void run(keep(meeting, present, notes), "The notes are kept.").then((done) => {
                  if (done) draft.clear();
                })
              }
            >
              Keep the notes
            </Button>
            <span className="text-[13px] text-ink-2">{isOther ? "not kept yet" : "They go out with the minutes."}</span>
          </p>
        </>
      ) : (
        <p className="whitespace-pre-wrap">{meeting.notes || "Nothing is noted."}</p>
      )}
    </section>
  );
}
