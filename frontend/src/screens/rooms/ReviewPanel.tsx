import { useState } from "react";
import { useNavigate } from "react-router";
import { api, ok, sentence } from "../../api/client";
import { useDraft } from "../../parts/hooks";
import { exact, instantOfLocal, localInput, span } from "../../parts/time";
import { Button, ErrorNote, Field, inputClass } from "../../parts/ui";
import { WhenInput } from "../../parts/WhenInput";
import { useRoomAct } from "./room";
import { type Room } from "./roomWords";

const TIMES: [keyof Room["times"], string][] = [
  ["to_notice", "from the beginning to the first report"],
  ["to_declare", "from the first report to declaring"],
  ["to_first_update", "from declaring to the first update"],
  ["to_restore", "until all worked again"],
  ["duration", "from declaring to standing down"],
];

/** After it: how long all took, what went well, what did not, and what follows. */
export function ReviewPanel({ room, now }: { room: Room; now: number }) {
  const navigate = useNavigate();
  const draft = useDraft(`room-review-${room.id}`, {
    summary: room.review.summary ?? "",
    well: room.review.well ?? "",
    badly: room.review.badly ?? "",
  });
  const [began, setBegan] = useState(room.began_s ? localInput(room.began_s) : "");
  const [isStating, setStating] = useState(false);
  const { act, isBusy, error, fields } = useRoomAct(room.id);
  const isOver = room.state === "reviewed";
  const path = { number: room.id };
  const save = () =>
    act(() => ok(api.PUT("/api/rooms/{number}/review", { params: { path }, body: draft.body })), "The review is kept.", true);
  const state = async () => {
    const isDone = await act(
      () =>
        ok(
          api.POST("/api/rooms/{number}/times", {
            params: { path },
            body: { what: "began", at: began ? new Date(instantOfLocal(began) * 1000).toISOString() : null },
          }),
        ),
      "",
      true,
    );
    if (isDone) setStating(false);
  };
  const end = async () => {
    if (!(await save())) return;
    await act(
      () => ok(api.POST("/api/tickets/{number}/end-review", { params: { path }, body: {} as never })),
      "The review has ended.",
      true,
    );
    draft.clear();
  };
  const openProblem = async () => {
    await act(async () => {
      const made = await ok(api.POST("/api/rooms/{number}/problem", { params: { path } }));
      void navigate(`/desk/tickets/${made.id}`);
      return null;
    });
  };
  const draftArticle = async () => {
    await act(async () => {
      const made = await ok(api.POST("/api/rooms/{number}/article", { params: { path } }));
      void navigate(`/desk/articles/${made.number}?write`);
      return null;
    });
  };
  return (
    <section aria-labelledby="review-title" className="rounded-card border border-line bg-sheet px-3.5 py-2.5">
      <div className="flex flex-wrap items-baseline gap-2">
        <h2 id="review-title" className="font-bold">
          {isOver ? "Review" : "Review: to be written"}
        </h2>
        <a className="ml-auto underline" href={`/api/rooms/${room.id}/review/paper`}>
          as PDF
        </a>
      </div>
      <dl className="my-2 grid grid-cols-[auto_1fr] gap-x-3">
        {TIMES.map(([name, words]) => {
          const seconds = room.times[name];
          return (
            <div key={name} className="contents">
              <dt className="text-ink-2">{words}</dt>
              <dd className="font-semibold">
                {seconds === null ? <span className="font-normal text-ink-2">not known</span> : span(seconds)}
              </dd>
            </div>
          );
        })}
      </dl>
      <p className="text-[13px] text-ink-2">
        {room.began_s ? `It began ${exact(room.began_s)}. ` : "When it began is not stated. "}
        {room.may.work && !isStating ? (
          <button type="button" className="underline" onClick={() => setStating(true)}>
            state it
          </button>
        ) : null}
      </p>
      {isStating ? (
        <form
          className="mt-1 flex flex-wrap items-end gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            void state();
          }}
        >
          <Field label="It began" error={fields.at}>
            {(props) => <WhenInput props={props} value={began} onChange={setBegan} />}
          </Field>
          <Button type="submit" disabled={isBusy}>
            Save
          </Button>
        </form>
      ) : null}
      {isOver || !room.may.work ? (
        <div className="mt-2 flex flex-col gap-2">
          {(["summary", "well", "badly"] as const).map((part) =>
            room.review[part] ? (
              <div key={part}>
                <h3 className="font-semibold text-ink-2">{LABELS[part]}</h3>
                <p className="whitespace-pre-wrap">{room.review[part]}</p>
              </div>
            ) : null,
          )}
        </div>
      ) : (
        <form
          className="mt-2 flex flex-col gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            if (!isBusy) void save();
          }}
        >
          {(["summary", "well", "badly"] as const).map((part) => (
            <Field key={part} label={LABELS[part]} error={fields[part]}>
              {(props) => (
                <textarea
                  {...props}
                  rows={3}
                  className={inputClass}
                  value={draft.body[part]}
                  onChange={(event) => draft.set({ [part]: event.target.value })}
                />
              )}
            </Field>
          ))}
          {error && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
          <div className="flex flex-wrap gap-2">
            <Button type="submit" disabled={isBusy}>
              Save
            </Button>
            <Button
              className="ml-auto"
              tone="sea"
              disabled={isBusy || !room.may.lead || !draft.body.well.trim() || !draft.body.badly.trim()}
              onClick={() => void end()}
            >
              End the review
            </Button>
          </div>
        </form>
      )}
      {room.may.declare && !room.is_drill ? (
        <p className="mt-2">
          <Button onClick={() => void openProblem()} disabled={isBusy}>
            Look for its cause as a problem
          </Button>{" "}
          {room.is_confidential ? null : (
            <Button onClick={() => void draftArticle()} disabled={isBusy}>
              Draft an article of it
            </Button>
          )}
        </p>
      ) : null}
      <p className="mt-1 text-[13px] text-ink-2">
        Actions are tasks of the record: as follow-ups they live on after the review. {now ? "" : ""}
      </p>
    </section>
  );
}

const LABELS = { summary: "In a few sentences", well: "What went well", badly: "What did not" };
