import { AmountInput } from "../../parts/AmountInput";
import { inputClass } from "../../parts/ui";
import { type Matrix, type Question, useBook, useEntry } from "./data";
import { entriesOf } from "./edits";
import { EditState, LinesInput, Part, PickOne, smallInput } from "./parts";

interface Problems {
  question?: string;
  people?: { answer: string; people: number }[];
  shares?: { urgency: number; share: string }[];
  lost_hour_pence?: number;
  desk_hour_pence?: number;
  back_days?: number;
  branches?: string[];
  words?: string;
}

/** What a problem is taken to cost, where looking for its cause begins, and how workarounds are told. */
export function ProblemsEditor() {
  const { document } = useBook();
  const editing = useEntry<Problems>("problems", "", document.problems ?? {});
  const problems = editing.value;
  const set = (change: Partial<Problems>) => editing.set({ ...problems, ...change });
  const questions = entriesOf<Question>(document, "questions").filter((one) => one.kind === "choice");
  const question = questions.find((one) => one.key === (problems.question ?? "who"));
  const urgencies = (document.matrix as Matrix).urgency;
  const peopleOf = (answer: string) => problems.people?.find((one) => one.answer === answer)?.people;
  const shareOf = (urgency: number) => problems.shares?.find((one) => one.urgency === urgency)?.share;
  const hour = (label: string, key: "lost_hour_pence" | "desk_hour_pence") => (
    <label className="flex items-center gap-2">
      <span className="w-[230px] text-ink-2">{label}</span>
      <span className="w-[130px]">
        <AmountInput
          isMoney
          least={0}
          value={problems[key] === undefined ? null : problems[key] / 100}
          onChange={(value) => set({ [key]: Math.round((value ?? 0) * 100) })}
        />
      </span>
    </label>
  );
  return (
    <>
      <EditState editing={editing} />
      <Part title="What an hour costs">
        <div className="flex flex-col gap-2">
          {hour("An hour that somebody cannot work", "lost_hour_pence")}
          {hour("An hour of the desk", "desk_hour_pence")}
        </div>
      </Part>
      <Part title="How many are stopped">
        <p className="mb-2 text-[16px] leading-8">
          Each answer to{" "}
          <PickOne
            label="Question"
            options={questions.map((one) => ({ key: one.key, name: `“${one.asks}”` }))}
            value={problems.question ?? "who"}
            onChange={(key) => set({ question: key, people: [] })}
          />{" "}
          stands for so many people:
        </p>
        <ul className="flex flex-col gap-1">
          {question?.choices.map((choice) => (
            <li key={choice.key}>
              <label className="flex items-center gap-2">
                <input
                  type="number"
                  min={0}
                  max={100000}
                  className={`${smallInput} w-[90px]`}
                  value={peopleOf(choice.key) ?? 1}
                  onChange={(event) =>
                    set({
                      people: [
                        ...(problems.people ?? []).filter((one) => one.answer !== choice.key),
                        { answer: choice.key, people: Math.max(0, Math.round(+event.target.value) || 0) },
                      ],
                    })
                  }
                />
                {choice.label}
              </label>
            </li>
          ))}
        </ul>
      </Part>
      <Part title="What of their work is lost">
        <ul className="flex flex-col gap-1">
          {urgencies.map((label, index) => {
            const shipped = ["1", "0.3"][index] ?? "0.05";
            const percent = Math.round(+(shareOf(index + 1) ?? shipped) * 100);
            return (
              <li key={label}>
                <label className="flex items-center gap-2">
                  <input
                    type="number"
                    min={0}
                    max={100}
                    className={`${smallInput} w-[90px]`}
                    value={percent}
                    onChange={(event) => {
                      const share = Math.min(100, Math.max(0, Math.round(+event.target.value) || 0));
                      set({
                        shares: [
                          ...(problems.shares ?? []).filter((one) => one.urgency !== index + 1),
                          { urgency: index + 1, share: String(share / 100) },
                        ].sort((a, b) => a.urgency - b.urgency),
                      });
                    }}
                  />
                  % at urgency “{label}”
                </label>
              </li>
            );
          })}
        </ul>
      </Part>
      <Part title="Where looking for the cause begins">
        <LinesInput
          label="One to a line; each problem offers them as its first possible causes"
          lines={problems.branches ?? []}
          onChange={(branches) => set({ branches })}
        />
      </Part>
      <Part title="How a workaround is told">
        <label className="block">
          <span className="text-ink-2">
            {"To the requesters of open incidents, with {name}, {number}, {title}, {place} and {workaround}; empty: as Gannet ships it"}
          </span>
          <textarea rows={6} className={inputClass} value={problems.words ?? ""} onChange={(event) => set({ words: event.target.value })} />
        </label>
      </Part>
      <p className="text-[16px] leading-8">
        When incidents of its kind come back within{" "}
        <input
          type="number"
          aria-label="Days within which it has come back"
          min={1}
          max={366}
          className={`${smallInput} w-[80px]`}
          value={problems.back_days ?? 30}
          onChange={(event) => set({ back_days: Math.min(366, Math.max(1, Math.round(+event.target.value) || 1)) })}
        />{" "}
        days of its end, the problem says so and asks to be reopened.
      </p>
    </>
  );
}
