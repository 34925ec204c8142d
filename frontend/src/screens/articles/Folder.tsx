import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { sentence, uploadTo } from "../../api/client";
import type { components } from "../../api/schema";
import { Button, Dialog, ErrorNote } from "../../parts/ui";

type Done = components["schemas"]["FolderShape"];

const SAID: Record<string, string> = { new: "new", changed: "changes", same: "says nothing new", wrong: "left out" };

/** Articles as a folder of Markdown files: out in one press, in after its dry run was read. */
export function Folder({ mayImport }: { mayImport: boolean }) {
  const queries = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const [file, setFile] = useState<File | null>(null);
  const [shown, setShown] = useState<Done | null>(null);
  const [error, setError] = useState<unknown>(null);
  const [isBusy, setBusy] = useState(false);
  const send = async (chosen: File, trial: "yes" | "no") => {
    if (isBusy) return;
    setBusy(true);
    setError(null);
    try {
      const done = await uploadTo<Done>("/api/articles/folder", chosen, { trial });
      setShown(done);
      if (trial === "no") {
        await queries.invalidateQueries({ queryKey: ["articles"] });
        toast(`${count(done, "new") + count(done, "changed")} articles are imported.`);
      }
    } catch (problem) {
      setError(problem);
      setShown(null);
    } finally {
      setBusy(false);
    }
  };
  const close = () => {
    setFile(null);
    setShown(null);
    setError(null);
  };
  const todo = shown ? count(shown, "new") + count(shown, "changed") : 0;
  return (
    <p className="mb-3 flex flex-wrap items-center gap-3">
      <a className="inline-flex min-h-[24px] items-center underline" href="/api/articles/folder" download>
        Export all as Markdown files
      </a>
      <a className="inline-flex min-h-[24px] items-center underline" href="/api/articles/pdf" download>
        PDF of all that is published
      </a>
      {mayImport ? <Button onClick={() => input.current?.click()}>Import Markdown files…</Button> : null}
      <input
        ref={input}
        type="file"
        accept=".zip,application/zip"
        className="hidden"
        aria-label="A ZIP of Markdown files"
        onChange={(event) => {
          const [chosen] = event.target.files ?? [];
          event.target.value = "";
          if (!chosen) return;
          setFile(chosen);
          void send(chosen, "yes");
        }}
      />
      <Dialog title="Import articles" about={file?.name ?? ""} isOpen={file !== null} onClose={close} isWide>
        {error ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
        {!shown && !error ? <p role="status">Reading the files…</p> : null}
        {shown ? (
          <>
            <p>
              {shown.is_trial ? "Nothing is written yet: " : "Done: "}
              <b>{count(shown, "new")}</b> new, <b>{count(shown, "changed")}</b> changed, <b>{count(shown, "same")}</b> as they are,{" "}
              <b className={count(shown, "wrong") > 0 ? "text-rust" : ""}>{count(shown, "wrong")}</b> left out.
            </p>
            <ul className="mt-2 max-h-[46vh] overflow-y-auto" tabIndex={0} aria-label="The files">
              {[...shown.lines]
                .sort((one, other) => Number(other.does === "wrong") - Number(one.does === "wrong"))
                .map((line) => (
                  <li key={line.file} className="border-t border-line py-1 text-[14px]">
                    <span className="font-mono text-[13px] text-ink-2">{line.file}</span>{" "}
                    {line.number !== null && !shown.is_trial ? (
                      <Link className="underline" to={`/desk/articles/${line.number}`}>
                        {line.title}
                      </Link>
                    ) : (
                      line.title
                    )}{" "}
                    · <span className={line.does === "wrong" ? "font-semibold text-rust" : ""}>{SAID[line.does]}</span>
                    {line.why ? `: ${line.why}` : ""}
                  </li>
                ))}
            </ul>
          </>
        ) : null}
        <div className="mt-3 flex justify-end gap-2">
          <Button onClick={close}>{shown?.is_trial === false ? "Close" : "Cancel"}</Button>
          {shown?.is_trial && file ? (
            <Button tone="sea" disabled={isBusy || todo === 0} onClick={() => void send(file, "no")}>
              Import {todo}
            </Button>
          ) : null}
        </div>
      </Dialog>
    </p>
  );
}

function count(done: Done, does: Done["lines"][number]["does"]): number {
  return done.lines.filter((line) => line.does === does).length;
}
