import { Paperclip, X } from "lucide-react";
import { useRef, useState } from "react";
import { toast } from "sonner";
import { type KeptFile, sentence, upload } from "../api/client";
import { useDraft, useNow } from "./hooks";
import { clockTime } from "./time";
import { Button, ErrorNote } from "./ui";

export type ComposerMode = "reply" | "note";

interface ComposerProps {
  /** Names the draft; one per ticket. */
  where: string;
  /** First name of who reads a reply. */
  reader: string;
  canNote: boolean;
  isSending: boolean;
  error?: string | null;
  onSend: (mode: ComposerMode, text: string, attachments: string[], done: () => void) => void;
  /** Also offers to send and then wait on the requester. */
  onSendAndWait?: (text: string, attachments: string[], done: () => void) => void;
  onTyping?: () => void;
  ref?: React.Ref<HTMLTextAreaElement>;
  mode?: ComposerMode;
  onMode?: (mode: ComposerMode) => void;
}

/** Writes a reply or a desk-only note; says who will read it, and keeps what is typed. */
export function Composer(props: ComposerProps) {
  const draft = useDraft<{ text: string; mode: string; files: KeptFile[] }>(props.where, {
    text: "",
    mode: "reply",
    files: [],
  });
  const now = useNow();
  const picker = useRef<HTMLInputElement>(null);
  const [isUploading, setUploading] = useState(false);
  const mode: ComposerMode = props.canNote ? (props.mode ?? (draft.body.mode as ComposerMode)) : "reply";
  const { text } = draft.body;
  const files = Array.isArray(draft.body.files) ? draft.body.files : [];
  const ids = files.map((file) => file.id);
  const isEmpty = text.trim() === "";

  const setMode = (next: ComposerMode) => {
    draft.set({ mode: next });
    props.onMode?.(next);
  };
  const add = async (list: Iterable<File>) => {
    setUploading(true);
    const kept = [...files];
    for (const file of list) {
      try {
        kept.push(await upload(file));
        draft.set({ files: [...kept] });
      } catch (error) {
        toast.error(sentence(error));
      }
    }
    setUploading(false);
  };
  const send = () => {
    if (!isEmpty && !props.isSending) props.onSend(mode, text, ids, draft.clear);
  };

  return (
    <section
      aria-label="Write"
      className={`rounded-card border p-3 ${mode === "note" ? "border-dashed border-ink-3 bg-note" : "border-line bg-sheet"}`}
    >
      <div className="mb-2 flex flex-wrap items-center gap-3">
        {props.canNote ? (
          <div className="flex overflow-hidden rounded-small border border-line-2" role="group" aria-label="Who reads it">
            {(["reply", "note"] as const).map((option) => (
              <button
                key={option}
                type="button"
                aria-pressed={mode === option}
                onClick={() => setMode(option)}
                className={`px-2.5 py-1 font-semibold ${mode === option ? "bg-sea text-on-sea" : "bg-sheet text-ink"}`}
              >
                {option === "reply" ? `Reply to ${props.reader}` : "Note to desk"}
              </button>
            ))}
          </div>
        ) : (
          <span className="font-semibold">{props.reader}</span>
        )}
        <span className="text-[13px] text-ink-2">
          {mode === "note" ? "desk only, never sent" : props.canNote ? "goes out by mail and to the portal" : ""}
        </span>
        <span className="ml-auto text-[13px] text-ink-2" aria-live="polite">
          {draft.keptAt && !isEmpty ? `draft kept ${clockTime(Math.min(draft.keptAt, now))}` : ""}
        </span>
      </div>
      <label className="sr-only" htmlFor={`composer-${props.where}`}>
        {mode === "note" ? "Note to the desk" : `Reply to ${props.reader}`}
      </label>
      <textarea
        id={`composer-${props.where}`}
        ref={props.ref}
        rows={3}
        value={text}
        placeholder={mode === "note" ? "What should the desk know?" : "Write…"}
        className="block w-full resize-y rounded-small bg-transparent px-1.5 py-1 text-[15px] leading-[1.45]"
        onChange={(event) => {
          draft.set({ text: event.target.value });
          props.onTyping?.();
        }}
        onKeyDown={(event) => {
          if (event.key === "Enter" && (event.ctrlKey || event.metaKey)) {
            event.preventDefault();
            send();
          }
          if (event.key === "Escape") event.currentTarget.blur();
        }}
        onPaste={(event) => {
          if (event.clipboardData.files.length > 0) {
            event.preventDefault();
            void add(event.clipboardData.files);
          }
        }}
        onDrop={(event) => {
          if (event.dataTransfer.files.length > 0) {
            event.preventDefault();
            void add(event.dataTransfer.files);
          }
        }}
      />
      {files.length > 0 ? (
        <ul className="mt-1 flex flex-wrap gap-2">
          {files.map((file) => (
            <li key={file.id} className="flex items-center gap-1 rounded-small border border-line-2 bg-sheet px-2 py-0.5 text-[13px]">
              {file.name}
              <button
                type="button"
                aria-label={`Leave out ${file.name}`}
                onClick={() => draft.set({ files: files.filter((other) => other.id !== file.id) })}
              >
                <X size={13} aria-hidden="true" />
              </button>
            </li>
          ))}
        </ul>
      ) : null}
      {props.error ? <ErrorNote>{props.error}</ErrorNote> : null}
      <div className="mt-2 flex flex-wrap items-center justify-end gap-2">
        <input
          ref={picker}
          type="file"
          multiple
          className="hidden"
          aria-label="Files to attach"
          onChange={(event) => {
            void add(event.target.files ?? []);
            event.target.value = "";
          }}
        />
        <Button tone="quiet" className="mr-auto" onClick={() => picker.current?.click()} disabled={isUploading}>
          <Paperclip size={14} aria-hidden="true" />
          {isUploading ? "Uploading…" : "Attach"}
        </Button>
        {mode === "reply" && props.onSendAndWait ? (
          <Button disabled={isEmpty || props.isSending} onClick={() => props.onSendAndWait?.(text, ids, draft.clear)}>
            Send and wait
          </Button>
        ) : null}
        <Button tone="sea" disabled={isEmpty || props.isSending} onClick={send} hint="Ctrl ↵">
          {props.isSending ? "Sending…" : mode === "note" ? "Keep note" : "Send"}
        </Button>
      </div>
    </section>
  );
}
