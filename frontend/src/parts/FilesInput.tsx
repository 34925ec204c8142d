import { useState } from "react";
import { type KeptFile, sentence, upload } from "../api/client";

interface FilesInputProps {
  props: { id?: string; "aria-invalid"?: true; "aria-describedby"?: string; "aria-label"?: string };
  isReadOnly: boolean;
  value: unknown;
  onChange: (value: unknown) => void;
}

/** Files as an answer: kept at once, named here, part of the ticket when it is sent. */
export function FilesInput({ props, isReadOnly, value, onChange }: FilesInputProps) {
  const files = Array.isArray(value) ? (value as (KeptFile | string)[]) : [];
  const [isBusy, setBusy] = useState(false);
  const [error, setError] = useState<string | null>(null);
  const add = async (list: FileList | null) => {
    setBusy(true);
    setError(null);
    const kept = [...files];
    try {
      for (const file of list ?? []) {
        kept.push(await upload(file));
        onChange([...kept]);
      }
    } catch (problem) {
      setError(sentence(problem));
    } finally {
      setBusy(false);
    }
  };
  const nameOf = (file: KeptFile | string) => (typeof file === "string" ? file : file.name);
  return (
    <div>
      <input
        {...props}
        type="file"
        multiple
        disabled={isReadOnly || isBusy}
        className="max-w-full file:mr-3 file:cursor-pointer file:rounded-small file:border file:border-solid file:border-line-2 file:bg-sheet file:px-3 file:py-1.5 file:font-semibold hover:file:bg-sea-3"
        onChange={(event) => {
          void add(event.target.files);
          event.target.value = "";
        }}
      />
      {isBusy ? (
        <p role="status" className="text-ink-2">
          Keeping it…
        </p>
      ) : null}
      {error ? (
        <p role="alert" className="text-rust">
          {error}
        </p>
      ) : null}
      <ul className="mt-1 flex flex-wrap gap-2">
        {files.map((file, index) => (
          <li key={index} className="rounded-small border border-line-2 bg-sheet px-2 py-0.5">
            {nameOf(file)}{" "}
            {isReadOnly ? null : (
              <button
                type="button"
                className="min-h-[24px] min-w-[24px]"
                aria-label={`Remove ${nameOf(file)}`}
                onClick={() => {
                  const rest = files.filter((_, at) => at !== index);
                  onChange(rest.length > 0 ? rest : null);
                }}
              >
                ×
              </button>
            )}
          </li>
        ))}
      </ul>
    </div>
  );
}
