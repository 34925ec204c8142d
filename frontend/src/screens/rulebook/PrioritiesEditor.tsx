import { Button } from "../../parts/ui";
import { prioritiesOf } from "./AgreementsEditor";
import { type Agreement, type Matrix, type Question, useBook, useEdit, useEntry } from "./data";
import { keyFrom } from "./edits";
import { spanWords } from "./edits";
import { entriesOf } from "./edits";
import { EditState, Part, smallInput, TextInput } from "./parts";

export function PrioritiesEditor() {
  const { document } = useBook();
  const questions = entriesOf<Question>(document, "questions");
  const edit = useEdit();
  const add = () => {
    const key = keyFrom(
      "question",
      questions.map((one) => one.key),
    );
    edit.mutate({
      section: "questions",
      key,
      before: null,
      after: { key, asks: "A new question", kind: "choice", sets: "impact", choices: [{ key: "yes", label: "Yes", level: 1 }] },
    });
  };
  return (
    <>
      <MatrixEditor stored={document.matrix as Matrix} />
      <Part
        title="What requesters are asked"
        aside={
          <button type="button" className="why text-ink-2" onClick={add}>
            add a question
          </button>
        }
      >
        <div className="grid grid-cols-2 gap-3 max-[1000px]:grid-cols-1">
          {questions.map((question) => (
            <QuestionEditor key={question.key} stored={question} matrix={document.matrix as Matrix} />
          ))}
        </div>
      </Part>
    </>
  );
}

function MatrixEditor({ stored }: { stored: Matrix }) {
  const { document } = useBook();
  const editing = useEntry<Matrix>("matrix", "", stored);
  const matrix = editing.value;
  const agreements = entriesOf<Agreement>(document, "agreements").filter((one) => one.kind === "customer" && one.status !== "retired");
  const setCell = (row: number, column: number, value: string) =>
    editing.set({
      ...matrix,
      cells: matrix.cells.map((old, at) =>
        at === row ? old.map((cell, place) => (place === column ? (value ? +value : null) : cell)) : old,
      ),
    });
  const setLabel = (axis: "impact" | "urgency", index: number, label: string) =>
    editing.set({ ...matrix, [axis]: matrix[axis].map((old, at) => (at === index ? label : old)) });
  const add = (axis: "impact" | "urgency") =>
    editing.set(
      axis === "impact"
        ? { ...matrix, impact: [...matrix.impact, "Another"], cells: [...matrix.cells, matrix.cells.at(-1) ?? []] }
        : { ...matrix, urgency: [...matrix.urgency, "Another"], cells: matrix.cells.map((row) => [...row, row.at(-1) ?? null]) },
    );
  const drop = (axis: "impact" | "urgency") =>
    editing.set(
      axis === "impact"
        ? { ...matrix, impact: matrix.impact.slice(0, -1), cells: matrix.cells.slice(0, -1) }
        : { ...matrix, urgency: matrix.urgency.slice(0, -1), cells: matrix.cells.map((row) => row.slice(0, -1)) },
    );
  return (
    <section>
      <EditState editing={editing} />
      <h2 className="text-[17px] font-bold">Impact and urgency give the priority</h2>
      <div className="mt-2 overflow-x-auto">
        <table>
          <thead>
            <tr>
              <th scope="col" className="pr-3 text-left font-normal text-ink-2">
                impact ↓ urgency →
              </th>
              {matrix.urgency.map((label, index) => (
                <th key={index} scope="col" className="p-1 font-normal">
                  <TextInput
                    label={`Urgency ${index + 1}`}
                    className={`${smallInput} w-full min-w-32`}
                    value={label}
                    onChange={(next) => setLabel("urgency", index, next)}
                  />
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {matrix.cells.map((row, at) => (
              <tr key={at}>
                <th scope="row" className="p-1 text-left font-normal">
                  <TextInput
                    label={`Impact ${at + 1}`}
                    className={`${smallInput} w-44`}
                    value={matrix.impact[at] ?? ""}
                    onChange={(next) => setLabel("impact", at, next)}
                  />
                </th>
                {row.map((cell, place) => (
                  <td key={place} className="p-1">
                    <select
                      aria-label={`${matrix.impact[at] ?? ""}, ${matrix.urgency[place] ?? ""}`}
                      className={`h-11 w-full rounded-small border text-center text-[16px] font-bold ${cell === 1 ? "border-ink bg-ink text-sheet" : cell === 2 ? "border-ink bg-sheet" : cell === null ? "border-rust bg-rust-2" : "border-line-2 bg-sheet text-ink-2"}`}
                      value={cell ?? ""}
                      onChange={(event) => setCell(at, place, event.target.value)}
                    >
                      <option value="">empty</option>
                      {[1, 2, 3, 4, 5].map((priority) => (
                        <option key={priority} value={priority}>
                          P{priority}
                        </option>
                      ))}
                    </select>
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p className="mt-1 flex flex-wrap gap-3 text-ink-2">
        {(["impact", "urgency"] as const).map((axis) => (
          <span key={axis}>
            <button type="button" className="why" onClick={() => add(axis)}>
              one more {axis}
            </button>{" "}
            <button type="button" className="why" disabled={matrix[axis].length < 2} onClick={() => drop(axis)}>
              one fewer
            </button>
          </span>
        ))}
      </p>
      <Part title="Targets of each priority">
        <table className="w-full">
          <thead>
            <tr className="border-b border-line text-left text-ink-2">
              <th scope="col" className="py-1 font-normal" />
              {agreements.map((one) => (
                <th key={one.key} scope="col" className="py-1 font-normal">
                  {one.name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {prioritiesOf(matrix).map((priority) => (
              <tr key={priority} className="border-b border-line">
                <th scope="row" className="py-1 text-left">
                  P{priority}
                </th>
                {agreements.map((one) => {
                  const row = one.targets[String(priority)];
                  return (
                    <td key={one.key} className="py-1">
                      {row ? (
                        `${typeof row.answer === "number" ? spanWords(row.answer) : "–"} · ${typeof row.fix === "number" ? spanWords(row.fix) : "–"}`
                      ) : (
                        <span className="text-rust">nothing</span>
                      )}
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </Part>
    </section>
  );
}

function QuestionEditor({ stored, matrix }: { stored: Question; matrix: Matrix }) {
  const editing = useEntry<Question>("questions", stored.key, stored);
  const edit = useEdit();
  const question = editing.value;
  const axis = question.sets === "impact" || question.sets === "urgency" ? question.sets : null;
  const set = (change: Partial<Question>) => editing.set({ ...question, ...change });
  const setChoice = (index: number, change: Partial<Question["choices"][number]>) =>
    set({ choices: question.choices.map((old, at) => (at === index ? { ...old, ...change } : old)) });
  return (
    <div className="rounded-card border border-line px-3 py-2">
      <EditState editing={editing} />
      <TextInput label="Question" className={`${smallInput} w-full font-bold`} value={question.asks} onChange={(asks) => set({ asks })} />
      <p className="mt-1 text-ink-2">
        sets{" "}
        <select
          aria-label="Sets"
          className={smallInput}
          value={question.sets ?? ""}
          onChange={(event) => set({ sets: event.target.value || null, kind: event.target.value ? "choice" : question.kind })}
        >
          <option value="">{question.kind === "place" ? "the place" : "nothing"}</option>
          <option value="impact">impact</option>
          <option value="urgency">urgency</option>
        </select>
      </p>
      <ul className="mt-1 flex flex-col gap-1">
        {question.choices.map((choice, index) => (
          <li key={index} className="flex items-center gap-1.5">
            <TextInput
              label="Answer"
              className={`${smallInput} min-w-0 flex-1`}
              value={choice.label}
              onChange={(label) => setChoice(index, { label })}
            />
            {axis ? (
              <select
                aria-label={`${choice.label} means`}
                className={`${smallInput} max-w-36`}
                value={choice.level ?? ""}
                onChange={(event) => setChoice(index, { level: +event.target.value })}
              >
                {matrix[axis].map((label, at) => (
                  <option key={at} value={at + 1}>
                    {label}
                  </option>
                ))}
              </select>
            ) : null}
            <button
              type="button"
              aria-label={`Remove ${choice.label}`}
              className="min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust"
              onClick={() => set({ choices: question.choices.filter((_, at) => at !== index) })}
            >
              ×
            </button>
          </li>
        ))}
      </ul>
      <div className="mt-1.5 flex justify-between">
        {question.kind === "choice" ? (
          <button
            type="button"
            className="why text-ink-2"
            onClick={() =>
              set({
                choices: [
                  ...question.choices,
                  {
                    key: keyFrom(
                      "answer",
                      question.choices.map((one) => one.key),
                    ),
                    label: "Another answer",
                    level: 1,
                  },
                ],
              })
            }
          >
            add an answer
          </button>
        ) : (
          <span />
        )}
        <Button tone="quiet" onClick={() => edit.mutate({ section: "questions", key: question.key, before: stored, after: null })}>
          Remove
        </Button>
      </div>
    </div>
  );
}
