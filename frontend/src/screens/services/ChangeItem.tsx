import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { useDraft } from "../../parts/hooks";
import { asText } from "../../parts/text";
import { Button, Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { Whose, whoseBody } from "./Whose";
import { CRITICALITIES, LIVES } from "./words";

type Item = components["schemas"]["ItemShape"];

/** Changing an item by hand, with why it is changed; what was typed is kept until it is saved. */
export function ChangeItem({ item, onClose }: { item: Item; onClose: () => void }) {
  const queries = useQueryClient();
  const draft = useDraft<Record<string, string>>(`item-${item.id}`, { why: "" });
  const [problem, setProblem] = useState<unknown>(null);
  const [missing, setMissing] = useState<Record<string, string>>({});
  const fields: Record<string, string> = { ...(problem instanceof Problem ? problem.fields : {}), ...missing };
  const value = (name: string, stored: string) => draft.body[name] ?? stored;
  const text = (label: string, name: "name" | "place" | "supplier" | "contract", stored: string) => (
    <Field label={label} error={fields[name]}>
      {(props) => (
        <input
          {...props}
          className={inputClass}
          value={value(name, stored)}
          onChange={(event) => draft.set({ [name]: event.target.value })}
        />
      )}
    </Field>
  );
  const save = async () => {
    const whose = whoseBody(draft.body);
    setMissing(whose.wrong);
    if (Object.keys(whose.wrong).length > 0) return;
    const attributes = Object.fromEntries(
      item.attributes.flatMap((one) => {
        const typed = draft.body[`attribute ${one.key}`];
        return typed === undefined ? [] : [[one.key, typed]];
      }),
    );
    const body = {
      why: draft.body.why ?? "",
      name: value("name", item.name),
      place: value("place", item.place),
      supplier: value("supplier", item.supplier),
      contract: value("contract", item.contract),
      life: value("life", item.life),
      criticality: Number(value("criticality", String(item.criticality))),
      attributes,
      ...whose.given,
    };
    try {
      const after = await ok(api.PATCH("/api/estate/items/{number}", { params: { path: { number: item.id } }, body }));
      queries.setQueryData(["item", item.id], after);
      void queries.invalidateQueries({ queryKey: ["drift"] });
      draft.clear();
      toast("Changed.");
      onClose();
    } catch (error) {
      setProblem(error);
    }
  };
  return (
    <Dialog title={`Change ${item.name}`} about="What you type is kept until it is saved." isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          void save();
        }}
      >
        {text("Name", "name", item.name)}
        {text("Place", "place", item.place)}
        <div className="grid grid-cols-2 gap-3">
          <Field label="Life" error={fields.life}>
            {(props) => (
              <select
                {...props}
                className={inputClass}
                value={value("life", item.life)}
                onChange={(event) => draft.set({ life: event.target.value })}
              >
                {LIVES.map((one) => (
                  <option key={one}>{one}</option>
                ))}
              </select>
            )}
          </Field>
          <Field label="How vital" error={fields.criticality}>
            {(props) => (
              <select
                {...props}
                className={inputClass}
                value={value("criticality", String(item.criticality))}
                onChange={(event) => draft.set({ criticality: event.target.value })}
              >
                {CRITICALITIES.map((one, index) => (
                  <option key={one} value={String(index + 1)}>
                    {one}
                  </option>
                ))}
              </select>
            )}
          </Field>
        </div>
        <Whose item={item} body={draft.body} errors={fields} set={draft.set} />
        {item.attributes.map((one) => (
          <Field key={one.key} label={one.unit ? `${one.label}, ${one.unit}` : one.label} error={fields[`attributes.${one.key}`]}>
            {(props) => {
              const stored = typeof one.value === "boolean" ? (one.value ? "yes" : "no") : asText(one.value);
              const current = value(`attribute ${one.key}`, stored);
              const choices = one.type === "yes/no" ? ["yes", "no"] : one.choices;
              return choices.length > 0 ? (
                <select
                  {...props}
                  className={inputClass}
                  value={current}
                  onChange={(event) => draft.set({ [`attribute ${one.key}`]: event.target.value })}
                >
                  <option value="">–</option>
                  {choices.map((choice) => (
                    <option key={choice}>{choice}</option>
                  ))}
                </select>
              ) : (
                <input
                  {...props}
                  className={inputClass}
                  value={current}
                  onChange={(event) => draft.set({ [`attribute ${one.key}`]: event.target.value })}
                />
              );
            }}
          </Field>
        ))}
        {text("Supplier", "supplier", item.supplier)}
        {text("Contract", "contract", item.contract)}
        <Field label="Why it is changed" error={fields.why} help="It stays in the item's history.">
          {(props) => (
            <input
              {...props}
              className={inputClass}
              value={draft.body.why ?? ""}
              onChange={(event) => draft.set({ why: event.target.value })}
            />
          )}
        </Field>
        {problem && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(problem)}</ErrorNote> : null}
        <span className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" tone="sea">
            Save
          </Button>
        </span>
      </form>
    </Dialog>
  );
}
