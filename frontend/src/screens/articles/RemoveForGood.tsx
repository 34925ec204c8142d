import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import { useDebounced } from "../../parts/hooks";
import { Button, Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { shownBy } from "./markdownEdits";

interface RemoveForGoodProps {
  number: number;
  onClose: () => void;
}

/** Remove words or a picture from every version of an article; that it was done, by whom and why stays. */
export function RemoveForGood({ number, onClose }: RemoveForGoodProps) {
  const queries = useQueryClient();
  const [words, setWords] = useState("");
  const [picture, setPicture] = useState("");
  const [reason, setReason] = useState("");
  const [isBusy, setBusy] = useState(false);
  const [problem, setProblem] = useState<unknown>(null);
  const late = useDebounced(words.trim(), 180);
  const path = { params: { path: { number } } };
  const pictures = useQuery({
    queryKey: ["article", number, "pictures"],
    queryFn: () => ok(api.GET("/api/articles/{number}/pictures", path)),
  });
  const isAsked = picture !== "" || late.replace(/\s/g, "").length >= 3;
  const found = useQuery({
    queryKey: ["article", number, "removal", picture || late],
    queryFn: () => ok(api.POST("/api/articles/{number}/removal", { ...path, body: { words: late, picture, reason: "", trial: true } })),
    enabled: isAsked,
    placeholderData: keepPreviousData,
  });
  const has = isAsked && found.data ? found.data : null;
  const isNowhere = has !== null && picture === "" && has.versions.length === 0 && has.notes === 0;
  const fields = problem instanceof Problem ? problem.fields : {};
  const remove = async () => {
    if (isBusy) return;
    setBusy(true);
    try {
      await ok(api.POST("/api/articles/{number}/removal", { ...path, body: { words, picture, reason, trial: false } }));
      await queries.invalidateQueries({ queryKey: ["article", number] });
      toast("Removed for good.");
      onClose();
    } catch (error) {
      setProblem(error);
    } finally {
      setBusy(false);
    }
  };
  return (
    <Dialog
      title="Remove for good"
      about="It goes from every version, from what readers wrote and from the search. It cannot be brought back."
      isOpen
      onClose={onClose}
    >
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          void remove();
        }}
      >
        {pictures.data && pictures.data.length > 0 ? (
          <Field label="What">
            {(field) => (
              <select {...field} className={inputClass} value={picture} onChange={(event) => setPicture(event.target.value)}>
                <option value="">words of it</option>
                {pictures.data.map((one) => (
                  <option key={one.name} value={one.name}>
                    the picture “{shownBy(one.name)}”
                  </option>
                ))}
              </select>
            )}
          </Field>
        ) : null}
        {picture === "" ? (
          <Field label="Words" error={fields.words}>
            {(field) => (
              <input
                {...field}
                autoFocus
                autoComplete="off"
                maxLength={400}
                className={inputClass}
                value={words}
                onChange={(event) => setWords(event.target.value)}
              />
            )}
          </Field>
        ) : null}
        <p role="status" className="min-h-[20px] text-[13px] text-ink-2">
          {has ? (isNowhere ? "Nothing of it says this." : saidWhere(has.versions, has.notes)) : ""}
        </p>
        {has && has.samples.length > 0 ? (
          <ul className="-mt-2 list-disc pl-5 text-[13px] text-ink-2">
            {has.samples.map((one) => (
              <li key={one} className="break-words">
                … {one} …
              </li>
            ))}
          </ul>
        ) : null}
        <Field label="Why" error={fields.reason}>
          {(field) => (
            <input
              {...field}
              maxLength={300}
              placeholder="A password was pasted"
              className={inputClass}
              value={reason}
              onChange={(event) => setReason(event.target.value)}
            />
          )}
        </Field>
        {problem && !fields.words && !fields.reason ? <ErrorNote>{sentence(problem)}</ErrorNote> : null}
        {found.error ? <ErrorNote>{sentence(found.error)}</ErrorNote> : null}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" tone="sea" disabled={isBusy || !isAsked || isNowhere || reason.trim() === ""}>
            Remove for good
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

function saidWhere(versions: number[], notes: number): string {
  const many = versions.length === 1 ? `version ${versions[0] ?? ""}` : `${versions.length} versions`;
  const said = [versions.length > 0 ? many : "", notes === 1 ? "one reader’s note" : notes > 0 ? `${notes} readers’ notes` : ""];
  return `In ${said.filter(Boolean).join(" and ") || "no version: only its file goes"}.`;
}
