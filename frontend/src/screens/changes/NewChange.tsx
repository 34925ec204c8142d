import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import { Finder } from "../../parts/Finder";
import { useDraft } from "../../parts/hooks";
import { instantOfLocal, localInput } from "../../parts/time";
import { Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { WhenInput } from "../../parts/WhenInput";
import { Foot } from "../problems/Causes";
import { findNodes } from "../services/findNodes";

interface NewChangeProps {
  /** What it is opened for, if for anything. */
  of?: { problem?: number; incident?: number; copied?: number };
  title?: string;
  on?: { id: number; name: string };
  /** It is to make the item what it is recorded as, where a scan found it otherwise. */
  putsBack?: boolean;
  /** The key of the template that it begins with, if one was chosen already. */
  template?: string;
  onClose: () => void;
}

interface Template {
  key: string;
  name: string;
  title: string;
  is_preauthorised: boolean;
  minutes: number;
}

/** Opening a change: a template found while its title is typed fills in the rest. */
export function NewChange({ of = {}, title = "", on, template = "", putsBack = false, onClose }: NewChangeProps) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const source = of.problem ?? of.incident ?? of.copied ?? (on ? `on-${on.id}` : 0);
  const draft = useDraft(`new-change-${source}`, {
    title,
    why: "",
    template: "",
    templateName: "",
    minutes: 0,
    on: on?.id ?? 0,
    onName: on?.name ?? "",
    starts: "",
    ends: "",
    isRelease: false,
  });
  const [error, setError] = useState<unknown>(null);
  const [isBusy, setBusy] = useState(false);
  const { data: templates } = useQuery({
    queryKey: ["change templates"],
    queryFn: () => ok(api.GET("/api/changes/open")),
    staleTime: 60_000,
  });
  const { body } = draft;
  const fields = error instanceof Problem ? error.fields : {};
  const words = body.title
    .trim()
    .toLowerCase()
    .split(/\s+/)
    .filter((word) => word.length > 1);
  const fitting = (templates ?? [])
    .map((one) => ({ one, hits: words.filter((word) => one.name.toLowerCase().includes(word)).length }))
    .filter(({ one, hits }) => one.key !== body.template && (words.length === 0 || hits > 0))
    .sort((a, b) => b.hits - a.hits)
    .slice(0, 4)
    .map(({ one }) => one);
  const take = (one: Template) => {
    const isOwn = body.title.trim() !== "" && !words.every((word) => one.name.toLowerCase().includes(word));
    draft.set({
      template: one.key,
      templateName: one.name,
      minutes: one.minutes,
      title: isOwn ? body.title : one.title || one.name,
      ...(body.starts ? { ends: later(body.starts, one.minutes) } : {}),
    });
  };
  const wanted = templates?.find((one) => one.key === template);
  const isTaken = useRef(false);
  useEffect(() => {
    if (!wanted || isTaken.current) return;
    isTaken.current = true;
    take(wanted);
  });
  const open = async () => {
    setBusy(true);
    setError(null);
    try {
      const made = await ok(
        api.POST("/api/changes/open", {
          body: {
            title: body.title,
            why: body.why,
            template: body.template,
            items: body.on > 0 ? [body.on] : [],
            reason: "",
            is_after_the_fact: false,
            puts_back: putsBack,
            is_release: body.isRelease,
            starts: body.starts ? new Date(instantOfLocal(body.starts) * 1000).toISOString() : "",
            ends: body.ends ? new Date(instantOfLocal(body.ends) * 1000).toISOString() : "",
            ...(body.on < 0 ? { service: -body.on } : {}),
            ...of,
          },
        }),
      );
      draft.clear();
      for (const key of ["changes", "schedule", "ticket", "lookout"]) void queries.invalidateQueries({ queryKey: [key] });
      onClose();
      toast(`Change ${made.id} is a draft.`);
      void navigate(`/desk/tickets/${made.id}`);
    } catch (problem) {
      setError(problem);
    } finally {
      setBusy(false);
    }
  };
  const about = of.problem
    ? `To end problem ${of.problem}: its item, its service and its words go along.`
    : of.incident
      ? `For incident ${of.incident}.`
      : of.copied
        ? `A copy of change ${of.copied}: its plan and items go along, its time does not.`
        : putsBack
          ? "What is recorded is what is expected of it; the first scan after the change says whether it is so."
          : "It is a draft until it is submitted: only a title is needed now.";
  return (
    <Dialog title="New change" about={about} isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!isBusy) void open();
        }}
      >
        <Field label="What changes" error={fields.title}>
          {(props) => (
            <input
              {...props}
              autoFocus
              maxLength={200}
              className={inputClass}
              value={body.title}
              onChange={(event) => draft.set({ title: event.target.value })}
            />
          )}
        </Field>
        {body.template ? (
          <p className="flex flex-wrap items-baseline gap-2 rounded-small bg-sea-3 px-2.5 py-1.5">
            From the template <b>{body.templateName}</b>
            <button
              type="button"
              className="min-h-[24px] text-[13px] underline"
              onClick={() => draft.set({ template: "", templateName: "", minutes: 0 })}
            >
              without it
            </button>
          </p>
        ) : fitting.length > 0 && !of.copied ? (
          <div className="flex flex-wrap gap-1.5" role="group" aria-label="Templates">
            {fitting.map((one) => (
              <button
                key={one.key}
                type="button"
                className="min-h-[30px] rounded-small border border-line px-2 text-left hover:border-line-2 hover:bg-sea-3"
                onClick={() => take(one)}
              >
                {one.name}
                {one.is_preauthorised ? <span className="text-[13px] text-ink-2"> authorised beforehand</span> : null}
              </button>
            ))}
          </div>
        ) : null}
        <Field label="Service or item" error={fields.service ?? fields.items}>
          {(props) => (
            <Finder
              props={props}
              what="services and items"
              find={findNodes}
              nothing="Nothing is called that."
              name={body.onName}
              onName={(onName) => draft.set({ onName, on: 0 })}
              onPick={(found) => draft.set({ on: found.id, onName: found.name })}
            />
          )}
        </Field>
        <div className="grid grid-cols-2 gap-2 max-[600px]:grid-cols-1">
          <Field label="Begins" error={fields.starts}>
            {(props) => (
              <WhenInput
                props={props}
                value={body.starts}
                onChange={(starts) => draft.set({ starts, ...(body.minutes > 0 && starts ? { ends: later(starts, body.minutes) } : {}) })}
              />
            )}
          </Field>
          <Field label="Ends" error={fields.ends}>
            {(props) => <WhenInput props={props} value={body.ends} onChange={(ends) => draft.set({ ends })} />}
          </Field>
        </div>
        <Field label="Why" error={fields.why}>
          {(props) => (
            <textarea
              {...props}
              rows={2}
              maxLength={5000}
              className={inputClass}
              value={body.why}
              onChange={(event) => draft.set({ why: event.target.value })}
            />
          )}
        </Field>
        {Object.keys(of).length === 0 && !putsBack && !body.template ? (
          <label className="flex min-h-[24px] items-center gap-2">
            <input type="checkbox" checked={body.isRelease} onChange={(event) => draft.set({ isRelease: event.target.checked })} />A
            release: it carries several changes together
          </label>
        ) : null}
        {error && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
        {(fields.problem ?? fields.incident ?? fields.change) ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
        <Foot label="Open the draft" isBusy={isBusy} onClose={onClose} />
      </form>
    </Dialog>
  );
}

function later(starts: string, minutes: number): string {
  return minutes > 0 ? localInput(instantOfLocal(starts) + minutes * 60) : "";
}
