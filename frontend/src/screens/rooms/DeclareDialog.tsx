import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import { Finder } from "../../parts/Finder";
import { useDraft } from "../../parts/hooks";
import { Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { Foot } from "../problems/Causes";
import { findNodes } from "../services/findNodes";

interface DeclareDialogProps {
  /** The incident that it is declared from; by itself without one. */
  incident?: { id: number; title: string };
  isDrill?: boolean;
  onClose: () => void;
}

const EMPTY = { title: "", text: "", plan: "", on: 0, onName: "" };

/** One move: the plan brings channels, roles, audiences, the first tasks, and the call. */
export function DeclareDialog({ incident, isDrill = false, onClose }: DeclareDialogProps) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const draft = useDraft(`declare-${incident?.id ?? "new"}${isDrill ? "-drill" : ""}`, EMPTY);
  const [drill, setDrill] = useState(isDrill);
  const [error, setError] = useState<unknown>(null);
  const [isBusy, setBusy] = useState(false);
  const { data } = useQuery({
    queryKey: ["major-plans", incident?.id ?? 0],
    queryFn: () => ok(api.GET("/api/majors/plans", { params: { query: incident ? { incident: incident.id } : {} } })),
  });
  const { body } = draft;
  const plan = data?.plans.find((one) => one.key === (body.plan || data.fits));
  const fields: Record<string, string> = error instanceof Problem ? error.fields : {};
  const declare = async () => {
    setBusy(true);
    setError(null);
    try {
      const made = await ok(
        api.POST("/api/majors", {
          body: {
            title: body.title || incident?.title || "",
            text: body.text,
            plan: plan?.key ?? "",
            incident: incident?.id ?? null,
            is_drill: drill,
            service: body.on < 0 ? -body.on : null,
            ci: body.on > 0 ? body.on : null,
          },
        }),
      );
      draft.clear();
      for (const key of ["majors", "ticket", "lookout"]) void queries.invalidateQueries({ queryKey: [key] });
      onClose();
      toast(`${made.call_sign} is declared.`);
      void navigate(`/desk/rooms/${made.id}`);
    } catch (problem) {
      setError(problem);
    } finally {
      setBusy(false);
    }
  };
  return (
    <Dialog
      title={drill ? "Begin a drill" : "Declare a major incident"}
      about={
        drill
          ? "Everything as it would be, marked everywhere; nobody outside the room hears of it."
          : "The room is there at once, with all that the plan names."
      }
      isOpen
      onClose={onClose}
    >
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!isBusy) void declare();
        }}
      >
        {data?.why_not ? <ErrorNote>{data.why_not}</ErrorNote> : null}
        <Field label="What it is, in a few words" error={fields.title}>
          {(props) => (
            <input
              {...props}
              autoFocus
              maxLength={200}
              className={inputClass}
              value={body.title || (incident?.title ?? "")}
              onChange={(event) => draft.set({ title: event.target.value })}
            />
          )}
        </Field>
        {incident ? null : (
          <Field label="Service or item" error={fields.service ?? fields.ci}>
            {(props) => (
              <Finder
                props={props}
                what="Services and items"
                find={findNodes}
                nothing="Nothing is called that."
                name={body.onName}
                onName={(onName) => draft.set({ onName, on: 0 })}
                onPick={(found) => draft.set({ on: found.id, onName: found.name })}
              />
            )}
          </Field>
        )}
        <Field label="What is known" error={fields.text}>
          {(props) => (
            <textarea
              {...props}
              rows={3}
              className={inputClass}
              value={body.text}
              onChange={(event) => draft.set({ text: event.target.value })}
            />
          )}
        </Field>
        <Field label="Plan" error={fields.plan}>
          {(props) => (
            <select {...props} className={inputClass} value={plan?.key ?? ""} onChange={(event) => draft.set({ plan: event.target.value })}>
              {(data?.plans ?? []).map((one) => (
                <option key={one.key} value={one.key}>
                  {one.name}
                  {one.key === data?.fits ? " (fits)" : ""}
                </option>
              ))}
            </select>
          )}
        </Field>
        {plan ? (
          <p className="text-[13px] text-ink-2">
            Channels: {plan.channels.map((one) => `${one.name}${one.is_closed ? " (closed)" : ""}`).join(", ")}. Updates:{" "}
            {plan.audiences.map((one) => `${one.name} every ${one.minutes} min`).join(", ") || "none"}.
            {plan.is_closed ? " A closed circle: only its team and who is asked in know of it." : ""}
            {plan.told.length > 0 && !drill ? ` ${plan.told.join(", ")} are told.` : ""}
          </p>
        ) : null}
        <label className="flex min-h-[26px] items-center gap-2">
          <input type="checkbox" checked={drill} onChange={(event) => setDrill(event.target.checked)} />
          This is a drill
        </label>
        {error && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
        <Foot label={drill ? "Begin the drill" : "Declare"} isBusy={isBusy || Boolean(data?.why_not)} onClose={onClose} />
      </form>
    </Dialog>
  );
}
