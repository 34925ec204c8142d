import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { exact, when } from "../../parts/time";
import { Button, ErrorNote, inputClass, Loading } from "../../parts/ui";
import { HelpBar } from "./HelpBar";
import { OverTime } from "./OverTime";
import { RemoveForGood } from "./RemoveForGood";

type Life = components["schemas"]["ArticleLifeShape"];
type Version = Life["versions"][number];
type Note = Life["notes"][number];

const RULED: Record<string, string> = {
  published: "was published",
  retired: "was retired",
  "sent to review": "was sent to review",
  disputed: "became disputed",
};

interface LifeProps {
  number: number;
  shown: number;
  mayChange: boolean;
  now: number;
}

/** What became of an article: whether each version helped, what changed, what readers wrote. */
export function ArticleLife({ number, shown, mayChange, now }: LifeProps) {
  const { data, error } = useQuery({
    queryKey: ["article", number, "life"],
    queryFn: () => ok(api.GET("/api/articles/{number}/life", { params: { path: { number } } })),
  });
  if (error) return <ErrorNote>{sentence(error)}</ErrorNote>;
  if (!data) return <Loading what="what became of it" />;
  const current = data.versions.find((one) => one.number === shown);
  const many = (current?.helped ?? 0) + (current?.not_helped ?? 0);
  return (
    <div className="flex flex-col gap-4">
      <section aria-label="Did it help?">
        <h2 className="font-bold">Did it help?</h2>
        <p className="text-[13px] text-ink-2">
          {many === 0
            ? "Nobody has said yet; it ranks as one that helps 3 in 10."
            : `${current?.helped ?? 0} yes, ${current?.not_helped ?? 0} no of this version. The bar is where the true share lies, 95 in 100; its low end ranks it.`}
        </p>
        <ul className="mt-1">
          {data.versions.slice(0, 6).map((one) => (
            <li key={one.number} className="grid grid-cols-[76px_88px_minmax(0,1fr)_60px] items-center gap-2 text-[13px]">
              <span className={one.number === shown ? "font-bold" : ""}>version {one.number}</span>
              <span className="text-ink-2" title={exact(one.at_s)}>
                {exact(one.at_s).split(", ").slice(1, 2)}
              </span>
              <HelpBar helped={one.helped} notHelped={one.not_helped} low={one.low} high={one.high} />
              <span className="text-right tabular-nums">
                {one.helped + one.not_helped === 0 ? "–" : `${one.helped} of ${one.helped + one.not_helped}`}
              </span>
            </li>
          ))}
        </ul>
        <p className="mt-1 text-[13px] text-ink-2">
          Read {data.reads} times and saved {data.saved} tickets in 30 days; used in {data.used} resolutions.
        </p>
      </section>
      <section aria-label="Twelve weeks">
        <h2 className="font-bold">Twelve weeks</h2>
        <OverTime weeks={data.weeks} />
      </section>
      <Versions number={number} versions={data.versions} shown={shown} mayChange={mayChange} now={now} />
      <section aria-label="What readers wrote">
        <h2 className="font-bold">
          What readers wrote <span className="font-normal text-ink-2">{data.notes.length}</span>
        </h2>
        {data.notes.length === 0 ? <p className="text-[13px] text-ink-2">Nobody has written anything.</p> : null}
        <ul className="mt-1 flex flex-col gap-1.5">
          {data.notes.map((note) => (
            <ReaderNote key={note.id} number={number} note={note} mayAnswer={mayChange} now={now} />
          ))}
        </ul>
      </section>
      {data.rulings.length > 0 ? (
        <section aria-label="What rules did">
          <h2 className="font-bold">
            What rules did <span className="font-normal text-ink-2">{data.rulings.length}</span>
          </h2>
          <ul className="mt-1 flex flex-col gap-1 text-[13px]">
            {data.rulings.map((one, at) => (
              <li key={at}>
                “{one.name}”, when it {RULED[one.moment] ?? one.moment}, {when(one.at_s, now)}: {one.did.join("; ")}.{" "}
                <span className="text-ink-2">{one.because ? `${one.because}.` : ""}</span>
              </li>
            ))}
          </ul>
        </section>
      ) : null}
      {data.linked_from.length > 0 ? (
        <section aria-label="Linked from">
          <h2 className="font-bold">Linked from</h2>
          <ul>
            {data.linked_from.map((one) => (
              <li key={one.id}>
                <Link className="underline" to={`/desk/articles/${one.id}`}>
                  {one.id} {one.title}
                </Link>
              </li>
            ))}
          </ul>
        </section>
      ) : null}
    </div>
  );
}

interface VersionsProps {
  number: number;
  versions: Version[];
  shown: number;
  mayChange: boolean;
  now: number;
}

/** What each version changed, the newest first; an earlier one is gone back to. */
function Versions({ number, versions, shown, mayChange, now }: VersionsProps) {
  const queries = useQueryClient();
  const [opened, setOpened] = useState(versions[0]?.number ?? 0);
  const [isBusy, setBusy] = useState(false);
  const [isRemoving, setRemoving] = useState(false);
  const version = versions.find((one) => one.number === opened);
  const goBack = async () => {
    if (isBusy || !version) return;
    setBusy(true);
    try {
      const path = { number, version: version.number };
      queries.setQueryData(["article", number], await ok(api.POST("/api/articles/{number}/versions/{version}", { params: { path } })));
      await queries.invalidateQueries({ queryKey: ["article", number, "life"] });
      toast(`It says again what version ${version.number} said.`);
    } catch (problem) {
      toast.error(sentence(problem));
    } finally {
      setBusy(false);
    }
  };
  if (!version) return null;
  return (
    <section aria-label="What changed">
      <h2 className="flex flex-wrap items-center gap-2 font-bold">
        What changed in
        <select
          aria-label="Version"
          className={`${inputClass} !h-[28px] !w-auto !py-0`}
          value={opened}
          onChange={(event) => setOpened(+event.target.value)}
        >
          {versions.map((one) => (
            <option key={one.number} value={one.number}>
              version {one.number}
              {one.number === shown ? ", which is read" : one.number > shown ? ", not published" : ""}
            </option>
          ))}
        </select>
      </h2>
      <p className="text-[13px] text-ink-2">
        {version.by}, {when(version.at_s, now)}
        {version.note ? `: ${version.note}` : ""}
      </p>
      {version.changed.length === 0 ? (
        <p className="text-[13px]">{version.number === 1 ? "It was written." : "Nothing of the text."}</p>
      ) : null}
      <div className="mt-1 max-h-[240px] overflow-y-auto text-[13px]" tabIndex={0} role="region" aria-label="The lines that changed">
        {version.changed.map((piece, at) =>
          piece.how === "gone" ? (
            <p key={at} className="whitespace-pre-wrap">
              <del className="bg-rust-2">{piece.text || " "}</del>
            </p>
          ) : piece.how === "new" ? (
            <p key={at} className="whitespace-pre-wrap">
              <ins className="bg-sea-2 no-underline">{piece.text || " "}</ins>
            </p>
          ) : (
            <p key={at} className="whitespace-pre-wrap text-ink-2">
              {piece.text || " "}
            </p>
          ),
        )}
      </div>
      {mayChange ? (
        <p className="mt-1 flex flex-wrap gap-2">
          {version.number !== shown && version.number < (versions[0]?.number ?? 0) ? (
            <Button disabled={isBusy} onClick={() => void goBack()}>
              Go back to {version.number}
            </Button>
          ) : null}
          <button type="button" className="min-h-[24px] text-[13px] underline" onClick={() => setRemoving(true)}>
            Remove words for good…
          </button>
        </p>
      ) : null}
      {isRemoving ? <RemoveForGood number={number} onClose={() => setRemoving(false)} /> : null}
    </section>
  );
}

function ReaderNote({ number, note, mayAnswer, now }: { number: number; note: Note; mayAnswer: boolean; now: number }) {
  const queries = useQueryClient();
  const [text, setText] = useState("");
  const [isOpen, setOpen] = useState(false);
  const send = async () => {
    try {
      const path = { number, note: note.id };
      await ok(api.PUT("/api/articles/{number}/notes/{note}", { params: { path }, body: { text } }));
      setOpen(false);
      await queries.invalidateQueries({ queryKey: ["article", number, "life"] });
      toast(`${note.person} hears of it.`);
    } catch (problem) {
      toast.error(sentence(problem));
    }
  };
  return (
    <li className="rounded-small bg-sea-3 px-2.5 py-1.5 text-[13px]">
      <p>
        {note.why}{" "}
        <span className="text-ink-2">
          {note.person}, {when(note.at_s, now)}, version {note.version}
        </span>
      </p>
      {note.answer ? <p className="mt-1 border-l-2 border-line-2 pl-2">{note.answer}</p> : null}
      {mayAnswer && !note.answer && !isOpen ? (
        <button type="button" className="min-h-[24px] underline" onClick={() => setOpen(true)}>
          Answer
        </button>
      ) : null}
      {isOpen ? (
        <form
          className="mt-1 flex gap-1.5"
          onSubmit={(event) => {
            event.preventDefault();
            void send();
          }}
        >
          <input
            autoFocus
            aria-label={`Answer to ${note.person}`}
            maxLength={500}
            className={inputClass}
            value={text}
            onChange={(event) => setText(event.target.value)}
          />
          <Button type="submit" tone="sea" disabled={text.trim() === ""}>
            Send
          </Button>
        </form>
      ) : null}
    </li>
  );
}
