import { useQuery, useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, Problem, sentence, type View } from "../../api/client";
import { PersonPicker } from "../../parts/PersonPicker";
import { Button, Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { type ListState, SHIPPED, toBody } from "./state";

const NO_VIEWS: View[] = [];

export function useViews(): { views: View[]; isRead: boolean } {
  const { data } = useQuery({ queryKey: ["views"], queryFn: () => ok(api.GET("/api/views")), staleTime: 60_000 });
  return { views: data ?? NO_VIEWS, isRead: data !== undefined };
}

interface ViewsBarProps {
  chosen: string;
  state: ListState;
  isChanged: boolean;
  onChoose: (key: string) => void;
}

/** The views: those that everybody has, those that are pinned, and all others in a menu. */
export function ViewsBar({ chosen, state, isChanged, onChoose }: ViewsBarProps) {
  const { views } = useViews();
  const queries = useQueryClient();
  const [isSaving, setSaving] = useState<"new" | "same" | null>(null);
  const current = views.find((view) => String(view.id) === chosen);
  const pinned = views.filter((view) => view.is_pinned || view.is_first || view === current);
  const tab = (key: string, name: string, about = "") => (
    <button
      key={key}
      type="button"
      aria-pressed={chosen === key}
      title={about}
      onClick={() => onChoose(key)}
      className={`min-h-[24px] rounded-small border px-2.5 py-1 ${chosen === key ? "border-line-2 bg-sheet font-bold" : "border-transparent text-ink-2 hover:bg-sheet"}`}
    >
      {name}
      {chosen === key && isChanged ? <span className="font-normal text-ink-2"> · changed</span> : null}
    </button>
  );
  const change = async (work: Promise<unknown>, words: string) => {
    try {
      await work;
      await queries.invalidateQueries({ queryKey: ["views"] });
      toast(words);
    } catch (error) {
      toast.error(sentence(error));
    }
  };
  const others = views.filter((view) => !pinned.includes(view));
  const { me } = useSession();
  const leads = (me?.leads ?? []) as { id: number; name: string }[];
  return (
    <div className="mb-1.5 flex flex-wrap items-center gap-1" role="group" aria-label="Views">
      {SHIPPED.map((view) => tab(view.key, view.name))}
      {pinned.length > 0 ? <span className="mx-1 h-4 border-l border-line-2" aria-hidden="true" /> : null}
      {pinned.map((view) => tab(String(view.id), view.name, view.is_mine ? "" : `${view.owner}'s view`))}
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button tone="quiet">Views ▾</Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="start" sideOffset={5} className="z-40 min-w-[230px] rounded-card border border-line-2 bg-sheet p-1">
            {others.map((view) => (
              <Item key={view.id} label={`${view.name}${view.is_mine ? "" : ` · ${view.owner}`}`} does={() => onChoose(String(view.id))} />
            ))}
            {others.length > 0 ? <DropdownMenu.Separator className="my-1 h-px bg-line" /> : null}
            <Item label="Save this as a view…" does={() => setSaving("new")} />
            {current?.is_mine ? <Item label={`Change “${current.name}”…`} does={() => setSaving("same")} /> : null}
            {current ? (
              <Item
                label={current.is_pinned ? "Take it off the top" : "Pin it to the top"}
                does={() =>
                  void change(
                    ok(
                      api.PUT("/api/views/{number}/pin", {
                        params: { path: { number: current.id } },
                        body: { is_pinned: !current.is_pinned },
                      }),
                    ),
                    current.is_pinned ? "No longer pinned." : "Pinned.",
                  )
                }
              />
            ) : null}
            {current
              ? leads.map((team) => {
                  const isFirst = current.default_of.some((other) => other.id === team.id);
                  return (
                    <Item
                      key={team.id}
                      label={isFirst ? `${team.name} no longer starts with it` : `Let ${team.name} start with it`}
                      does={() =>
                        void change(
                          ok(
                            api.PUT("/api/views/{number}/first", {
                              params: { path: { number: current.id } },
                              body: { team: team.id, is_default: !isFirst },
                            }),
                          ),
                          isFirst ? "Done." : `${team.name} starts with it now.`,
                        )
                      }
                    />
                  );
                })
              : null}
            <Item
              label="Copy the link"
              does={() => {
                void navigator.clipboard.writeText(window.location.href).then(() => toast("Link copied."));
              }}
            />
            {current?.is_mine ? (
              <Item
                label={`Drop “${current.name}”`}
                does={() => {
                  onChoose("open");
                  void change(ok(api.DELETE("/api/views/{number}", { params: { path: { number: current.id } } })), "The view is dropped.");
                }}
              />
            ) : null}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {isChanged && current?.is_mine ? (
        <Button tone="quiet" onClick={() => setSaving("same")}>
          Keep the change…
        </Button>
      ) : null}
      {isChanged && !current ? (
        <Button tone="quiet" onClick={() => setSaving("new")}>
          Save as a view…
        </Button>
      ) : null}
      {isChanged ? (
        <Button tone="quiet" onClick={() => onChoose(chosen)}>
          Back to the view
        </Button>
      ) : null}
      {isSaving ? (
        <SaveView
          state={state}
          view={isSaving === "same" ? current : undefined}
          onClose={() => setSaving(null)}
          onSaved={(view) => {
            setSaving(null);
            onChoose(String(view.id));
          }}
        />
      ) : null}
    </div>
  );
}

function Item({ label, does }: { label: string; does: () => void }) {
  return (
    <DropdownMenu.Item onSelect={does} className="cursor-pointer rounded px-3 py-1.5 outline-none data-[highlighted]:bg-sea-3">
      {label}
    </DropdownMenu.Item>
  );
}

interface SaveViewProps {
  state: ListState;
  view: View | undefined;
  onClose: () => void;
  onSaved: (view: View) => void;
}

/** Name a view and say who shares it. */
function SaveView({ state, view, onClose, onSaved }: SaveViewProps) {
  const queries = useQueryClient();
  const [name, setName] = useState(view?.name ?? "");
  const [people, setPeople] = useState(view?.people ?? []);
  const [teams, setTeams] = useState<number[]>(view?.teams.map((team) => team.id) ?? []);
  const [isPinned, setPinned] = useState(view?.is_pinned ?? true);
  const [typed, setTyped] = useState("");
  const [error, setError] = useState<Problem | null>(null);
  const [isBusy, setBusy] = useState(false);
  const { data: all } = useQuery({ queryKey: ["teams"], queryFn: () => ok(api.GET("/api/teams")), staleTime: 60_000 });
  const save = async () => {
    setBusy(true);
    const body = { name, body: toBody(state) as never, people: people.map((person) => person.id), teams, is_pinned: isPinned };
    try {
      const kept = view
        ? await ok(api.PUT("/api/views/{number}", { params: { path: { number: view.id } }, body }))
        : await ok(api.POST("/api/views", { body }));
      await queries.invalidateQueries({ queryKey: ["views"] });
      onSaved(kept);
    } catch (problem) {
      setError(problem instanceof Problem ? problem : null);
      setBusy(false);
    }
  };
  return (
    <Dialog
      title={view ? `Change “${view.name}”` : "Save this as a view"}
      about="Its sentence, order, columns, widths, grouping and form."
      isOpen
      onClose={onClose}
    >
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          void save();
        }}
      >
        <Field label="Name" error={error?.fields.name}>
          {(props) => (
            <input
              {...props}
              autoFocus
              maxLength={80}
              className={inputClass}
              value={name}
              onChange={(event) => setName(event.target.value)}
            />
          )}
        </Field>
        <fieldset>
          <legend className="mb-1 font-semibold text-ink-2">Shared with teams</legend>
          <div className="flex flex-wrap gap-x-4">
            {all?.map((team) => (
              <label key={team.id} className="flex items-center gap-1.5 py-0.5">
                <input
                  type="checkbox"
                  checked={teams.includes(team.id)}
                  onChange={() => setTeams(teams.includes(team.id) ? teams.filter((id) => id !== team.id) : [...teams, team.id])}
                />
                {team.name}
              </label>
            ))}
          </div>
        </fieldset>
        <div>
          <PersonPicker
            label="Shared with people"
            name={typed}
            onName={setTyped}
            onPick={(person) => {
              setTyped("");
              if (!people.some((other) => other.id === person.id)) setPeople([...people, { id: person.id, name: person.name }]);
            }}
          />
          <ul className="mt-1 flex flex-wrap gap-1.5">
            {people.map((person) => (
              <li key={person.id} className="rounded-small border border-line-2 px-2">
                {person.name}{" "}
                <button
                  type="button"
                  className="min-h-[24px] min-w-[24px]"
                  aria-label={`Do not share with ${person.name ?? ""}`}
                  onClick={() => setPeople(people.filter((other) => other.id !== person.id))}
                >
                  ×
                </button>
              </li>
            ))}
          </ul>
        </div>
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={isPinned} onChange={(event) => setPinned(event.target.checked)} />
          Save above my queue
        </label>
        {error && !error.fields.name ? <ErrorNote>{error.message}</ErrorNote> : null}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" tone="sea" disabled={isBusy}>
            {isBusy ? "Saving…" : "Save"}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
