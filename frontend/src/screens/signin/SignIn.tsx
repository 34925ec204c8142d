import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok, Problem, sentence } from "../../api/client";
import { Button, ErrorNote, Field, inputClass } from "../../parts/ui";
import { useSession } from "../../shell/session";

/** Signing in: by address and password, or with one click in the demo. */
export function SignInForm() {
  const { session, accept } = useSession();
  const [email, setEmail] = useState("");
  const [password, setPassword] = useState("");
  const signIn = useMutation({
    mutationFn: () => ok(api.POST("/api/session", { body: { email, password } })),
    onSuccess: accept,
  });
  const people = useQuery({
    queryKey: ["session", "demo"],
    queryFn: () => ok(api.GET("/api/session/demo")),
    enabled: session.is_demo,
  });
  const pick = useMutation({
    mutationFn: (person: number) => ok(api.POST("/api/session/demo", { body: { person } })),
    onSuccess: accept,
  });
  const fields = signIn.error instanceof Problem ? signIn.error.fields : {};
  return (
    <div className="flex flex-col gap-5">
      {people.data ? (
        <div>
          <h2 className="mb-2 font-bold">Sign in as</h2>
          <ul className="grid grid-cols-1 gap-2 sm:grid-cols-2">
            {people.data.map((person) => (
              <li key={person.id}>
                <button
                  type="button"
                  disabled={pick.isPending}
                  onClick={() => pick.mutate(person.id)}
                  className="w-full rounded-card border border-line bg-sheet px-3 py-2 text-left hover:border-sea hover:bg-sea-3"
                >
                  <span className="block font-bold">{person.name}</span>
                  <span className="block text-[13px] text-ink-2">{person.about}</span>
                </button>
              </li>
            ))}
          </ul>
          {pick.error ? <ErrorNote>{sentence(pick.error)}</ErrorNote> : null}
        </div>
      ) : null}
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          signIn.mutate();
        }}
      >
        <h2 className="font-bold">{session.is_demo ? "Or with a password" : "Sign in"}</h2>
        <Field label="E-mail address" error={fields.email}>
          {(props) => (
            <input
              {...props}
              type="email"
              required
              autoComplete="username"
              className={inputClass}
              value={email}
              onChange={(event) => setEmail(event.target.value)}
            />
          )}
        </Field>
        <Field label="Password" error={fields.password}>
          {(props) => (
            <input
              {...props}
              type="password"
              required
              autoComplete="current-password"
              className={inputClass}
              value={password}
              onChange={(event) => setPassword(event.target.value)}
            />
          )}
        </Field>
        {signIn.error && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(signIn.error)}</ErrorNote> : null}
        <Button type="submit" tone={session.is_demo ? "plain" : "sea"} disabled={signIn.isPending} className="self-start">
          {signIn.isPending ? "Signing in…" : "Sign in"}
        </Button>
      </form>
    </div>
  );
}

export function SignInPage() {
  const { session } = useSession();
  return (
    <main className="mx-auto max-w-[640px] px-5 py-12">
      <div className="mb-6 flex items-center gap-3">
        <img src="/gannet.svg" alt="" width="44" height="44" />
        <div>
          <h1 className="text-2xl font-bold">Gannet</h1>
          <p className="text-ink-2">{session.organisation}, IT service desk</p>
        </div>
      </div>
      <SignInForm />
    </main>
  );
}
