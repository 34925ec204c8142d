import { X } from "lucide-react";
import { useId, useState } from "react";
import { useChoices } from "../../parts/choices";
import { inputClass } from "../../parts/ui";
import type { Audience, Whom } from "./ArticlePreview";
import { useArticleChoices } from "./Translations";

type Kind = Audience[number]["kind"];

const KINDS: Record<Kind, string> = {
  department: "Department",
  place: "Place",
  service: "Users of a service",
  role: "Role",
};
const ROLES = ["requester", "agent", "team lead", "manager", "administrator"];

interface ArticleAudienceProps extends Whom {
  error: string | undefined;
  onWhom: (whom: string) => void;
  onAudience: (audience: Audience) => void;
}

/** Who may read an article: the desk, everybody, or those who are one of some. */
export function ArticleAudience({ whom, audience, error, onWhom, onAudience }: ArticleAudienceProps) {
  return (
    <fieldset>
      <legend className="font-semibold text-ink-2">Who may read it</legend>
      <div className="flex flex-wrap gap-4">
        {[
          ["desk", "the desk"],
          ["everybody", "everybody"],
          ["some", "some"],
        ].map(([key, name]) => (
          <label key={key} className="flex min-h-[24px] items-center gap-1.5">
            <input type="radio" name="whom" checked={whom === key} onChange={() => onWhom(key ?? "desk")} />
            {name}
          </label>
        ))}
      </div>
      {whom === "some" ? <Some audience={audience} error={error} onAudience={onAudience} /> : null}
    </fieldset>
  );
}

function Some({ audience, error, onAudience }: Pick<ArticleAudienceProps, "audience" | "error" | "onAudience">) {
  const choices = useChoices();
  const id = useId();
  const [kind, setKind] = useState<Kind>("department");
  const [name, setName] = useState("");
  const departments = useArticleChoices()?.departments;
  const known: Record<Kind, string[]> = {
    department: departments ?? [],
    place: choices?.places ?? [],
    service: choices?.services.map((one) => one.name) ?? [],
    role: ROLES,
  };
  const add = (said: string) => {
    const wanted = said.trim().replace(/\s+/g, " ");
    const found = known[kind].find((one) => one.toLowerCase() === wanted.toLowerCase());
    if (!found) return;
    if (!audience.some((one) => one.kind === kind && one.name === found)) onAudience([...audience, { kind, name: found }]);
    setName("");
  };
  return (
    <div className="mt-2 flex flex-col gap-2">
      {audience.length > 0 ? (
        <ul className="flex flex-wrap gap-1.5" aria-label="Those it is for">
          {audience.map((one) => (
            <li key={`${one.kind} ${one.name}`} className="flex items-center gap-1 rounded-small border border-line-2 bg-sheet pl-2">
              <span className="text-ink-2">{one.kind === "service" ? "users of" : one.kind}</span> {one.name}
              <button
                type="button"
                aria-label={`Not for ${one.kind} ${one.name}`}
                className="grid size-[26px] place-items-center text-ink-2"
                onClick={() => onAudience(audience.filter((other) => other !== one))}
              >
                <X size={14} aria-hidden />
              </button>
            </li>
          ))}
        </ul>
      ) : (
        <p className="text-ink-2">For nobody yet: choose a department, a place, a service or a role.</p>
      )}
      <div className="flex flex-wrap items-center gap-2">
        <select
          aria-label="Which of them"
          className={`${inputClass} max-w-[180px]`}
          value={kind}
          onChange={(event) => {
            setKind(event.target.value as Kind);
            setName("");
          }}
        >
          {Object.entries(KINDS).map(([key, said]) => (
            <option key={key} value={key}>
              {said}
            </option>
          ))}
        </select>
        <select
          aria-label={KINDS[kind]}
          aria-describedby={error ? `${id}-wrong` : undefined}
          className={`${inputClass} max-w-[280px]`}
          value={name}
          onChange={(event) => add(event.target.value)}
        >
          <option value="">choose…</option>
          {known[kind].map((one) => (
            <option key={one}>{one}</option>
          ))}
        </select>
      </div>
      {error ? (
        <p id={`${id}-wrong`} role="alert" className="text-rust">
          {error}
        </p>
      ) : null}
    </div>
  );
}
