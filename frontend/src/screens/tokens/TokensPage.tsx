import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import { Button, ErrorNote, Field, inputClass } from "../../parts/ui";

const SCOPES: ["read" | "write" | "alerts" | "import", string][] = [
  ["read", "read what I may read"],
  ["write", "do what I may do"],
  ["alerts", "send alerts"],
  ["import", "import files"],
];

/** My access tokens for scripts; a secret is shown once. */
export function TokensPage() {
  const queries = useQueryClient();
  const { data } = useQuery({ queryKey: ["tokens"], queryFn: () => ok(api.GET("/api/tokens")) });
  const [name, setName] = useState("");
  const [days, setDays] = useState("90");
  const [scopes, setScopes] = useState<("read" | "write" | "alerts" | "import")[]>(["read"]);
  const [secret, setSecret] = useState("");
  const [error, setError] = useState<Problem | null>(null);
  const make = async () => {
    setError(null);
    try {
      const made = await ok(api.POST("/api/tokens", { body: { name, scopes, days: +days } }));
      setSecret(made.secret);
      setName("");
      void queries.invalidateQueries({ queryKey: ["tokens"] });
    } catch (problem) {
      setError(problem instanceof Problem ? problem : null);
    }
  };
  const revoke = async (number: number) => {
    try {
      await ok(api.DELETE("/api/tokens/{number}", { params: { path: { number } } }));
      void queries.invalidateQueries({ queryKey: ["tokens"] });
      toast("Revoked: scripts that use it are refused from now on.");
    } catch (problem) {
      toast.error(sentence(problem));
    }
  };
  return (
    <div className="mx-auto max-w-[760px] px-5 py-4">
      <h1 className="text-[21px] font-bold">Access tokens</h1>
      <p className="text-ink-2">A script that carries one acts as you, and no further than it is allowed.</p>
      {secret ? (
        <div role="status" className="mt-3 rounded-card border border-crown bg-crown-2 px-3.5 py-2.5">
          <b>Copy it now: it is not shown again.</b>
          <p className="break-all font-mono">{secret}</p>
          <Button onClick={() => void navigator.clipboard.writeText(secret).then(() => toast("Copied."))}>Copy</Button>
        </div>
      ) : null}
      <ul className="mt-3 rounded-card border border-line bg-sheet">
        {data?.map((token) => (
          <li key={token.id} className="flex items-baseline gap-3 border-b border-line px-3.5 py-2 last:border-0">
            <span className="min-w-0 flex-1">
              <b>{token.name}</b> <span className="font-mono text-[13px] text-ink-2">{token.starts}…</span>
              <span className="block text-[13px] text-ink-2">
                {token.scopes.join(", ")} · until {token.expires_at ? new Date(token.expires_at).toLocaleDateString("en-GB") : "revoked"} ·{" "}
                {token.used_at ? `last used ${new Date(token.used_at).toLocaleString("en-GB")}` : "never used"}
              </span>
            </span>
            <Button aria-label={`Revoke ${token.name}`} onClick={() => void revoke(token.id)}>
              Revoke
            </Button>
          </li>
        ))}
        {data?.length === 0 ? <li className="px-3.5 py-3 text-ink-2">You have none.</li> : null}
      </ul>
      <form
        className="mt-4 flex flex-col gap-3 rounded-card border border-line bg-sheet px-3.5 py-3"
        onSubmit={(event) => {
          event.preventDefault();
          void make();
        }}
      >
        <h2 className="font-bold">A new token</h2>
        <Field label="What for" error={error?.fields.name}>
          {(props) => (
            <input {...props} maxLength={80} className={inputClass} value={name} onChange={(event) => setName(event.target.value)} />
          )}
        </Field>
        <fieldset className="flex flex-wrap gap-x-5">
          <legend className="font-semibold text-ink-2">It may</legend>
          {SCOPES.map(([scope, words]) => (
            <label key={scope} className="flex items-center gap-1.5">
              <input
                type="checkbox"
                checked={scopes.includes(scope)}
                onChange={() => setScopes(scopes.includes(scope) ? scopes.filter((one) => one !== scope) : [...scopes, scope])}
              />
              {words}
            </label>
          ))}
          {error?.fields.scopes ? <p className="w-full text-rust">{error.fields.scopes}</p> : null}
        </fieldset>
        <Field label="For how many days" error={error?.fields.days}>
          {(props) => (
            <input
              {...props}
              type="number"
              min={1}
              max={366}
              className={`${inputClass} !w-28`}
              value={days}
              onChange={(event) => setDays(event.target.value)}
            />
          )}
        </Field>
        {error && Object.keys(error.fields).length === 0 ? <ErrorNote>{error.message}</ErrorNote> : null}
        <Button type="submit" tone="sea" className="self-start">
          Make it
        </Button>
      </form>
    </div>
  );
}
