import { ChevronDown, Paperclip, X } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { toast } from "sonner";
import { type KeptFile, sentence, upload } from "../api/client";
import { type Suggest, Suggestions, useSuggestions } from "./Suggestions";
import { useDraft, useNow } from "./hooks";
import { clockTime } from "./time";
import { Button, ErrorNote } from "./ui";

export type ComposerMode = "reply" | "note";

export interface SendOption {
  label: string;
  does: (text: string, attachments: string[], done: () => void) => void;
}

interface ComposerProps {
  /** Names the draft; one per ticket. */
  where: string;
  /** First name of who reads a reply. */
  reader: string;
  canNote: boolean;
  /** Whether a reply can go out still; why not, where only a note can be left. */
  whyNoReply?: string;
  /** Whether replying is a thing here at all; where it is not, only notes are offered. */
  hasReply?: boolean;
  isSending: boolean;
  error?: string | null;
  onSend: (mode: ComposerMode, text: string, attachments: string[], done: () => void) => void;
  /** Sending and setting the next state in one move. */
  options?: SendOption[];
  onTyping?: () => void;
  ref?: React.Ref<HTMLTextAreaElement>;
  mode?: ComposerMode;
  onMode?: (mode: ComposerMode) => void;
  /** Who reads a reply, chosen; stands above the text while replying. */
  readers?: ReactNode;
  /** What / and # offer while typing: phrases, articles, tickets. */
  suggest?: Suggest;
  /** Told whenever there comes to be a draft, or none. */
  onDraft?: (hasDraft: boolean) => void;
  /** Stays in view at the lower edge of the page; what it offers opens upwards. */
  isDocked?: boolean;
  /** Text that is put in from outside, once for each new value. */
  inserted?: { text: string; at: number } | null;
}

const MARKS: [string, string, string][] = [
  ["B", "bold", "**"],
  ["I", "italic", "_"],
  ["‹›", "code", "`"],
];

/** Writes a reply or a desk-only note; says who will read it, and keeps what is typed. */
export function Composer(props: ComposerProps) {
  const draft = useDraft<{ text: string; mode: string; files: KeptFile[] }>(props.where, {
    text: "",
    mode: "reply",
    files: [],
  });
  const now = useNow();
  const picker = useRef<HTMLInputElement>(null);
  const area = useRef<HTMLTextAreaElement | null>(null);
  const [isUploading, setUploading] = useState(false);
  const [isOver, setOver] = useState(false);
  const wanted: ComposerMode = props.canNote ? (props.mode ?? (draft.body.mode as ComposerMode)) : "reply";
  const mode: ComposerMode = props.whyNoReply ? "note" : wanted;
  const { text } = draft.body;
  const files = Array.isArray(draft.body.files) ? draft.body.files : [];
  const ids = files.map((file) => file.id);
  const isEmpty = text.trim() === "";
  const { onDraft } = props;
  useEffect(() => onDraft?.(!isEmpty), [onDraft, isEmpty]);
  const put = (next: string, caret: number) => {
    draft.set({ text: next });
    requestAnimationFrame(() => {
      area.current?.focus();
      area.current?.setSelectionRange(caret, caret);
    });
  };
  const offers = useSuggestions(area, text, put, props.suggest);
  const inserted = useRef(0);
  if (props.inserted && props.inserted.at !== inserted.current) {
    inserted.current = props.inserted.at;
    const more = props.inserted.text;
    queueMicrotask(() => draft.set({ text: text.trim() ? `${text.trimEnd()}\n\n${more}` : more }));
  }

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
  const mark = (sign: string) => {
    const box = area.current;
    if (!box) return;
    const { selectionStart: from, selectionEnd: to } = box;
    put(`${text.slice(0, from)}${sign}${text.slice(from, to)}${sign}${text.slice(to)}`, to + sign.length * (from === to ? 1 : 2));
  };

  return (
    <section
      aria-label="Write"
      className={`relative rounded-card border ${props.isDocked ? "px-3 py-2" : "p-3"} ${mode === "note" ? "border-dashed border-ink-3 bg-note" : "border-line bg-sheet"} ${isOver ? "outline-2 outline-dashed outline-sea" : ""}`}
      onDragOver={(event) => {
        if (!event.dataTransfer.types.includes("Files")) return;
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        setOver(false);
        if (event.dataTransfer.files.length === 0) return;
        event.preventDefault();
        void add(event.dataTransfer.files);
      }}
    >
      <div className={`flex flex-wrap items-center gap-3 ${props.isDocked ? "mb-1" : "mb-2"}`}>
        {props.canNote ? (
          <div className="flex overflow-hidden rounded-small border border-line-2" role="group" aria-label="Who reads it">
            {(props.hasReply === false ? (["note"] as const) : (["reply", "note"] as const)).map((option) => (
              <button
                key={option}
                type="button"
                aria-pressed={mode === option}
                disabled={option === "reply" && Boolean(props.whyNoReply)}
                title={option === "reply" ? props.whyNoReply : undefined}
                onClick={() => setMode(option)}
                className={`px-2.5 py-1 font-semibold ${mode === option ? "bg-sea text-on-sea" : "bg-sheet text-ink disabled:text-ink-2"}`}
              >
                {option === "reply" ? `Reply to ${props.reader}` : "Note to desk"}
              </button>
            ))}
          </div>
        ) : (
          <span className="font-semibold">{props.reader}</span>
        )}
        <span className="text-[13px] text-ink-2">
          {mode === "note"
            ? `desk only, never sent${props.whyNoReply && props.hasReply !== false ? ` · ${props.whyNoReply}` : ""}`
            : props.canNote
              ? "goes out by mail and to the portal"
              : ""}
        </span>
        <span className="ml-auto text-[13px] text-ink-2" aria-live="polite">
          {draft.keptAt && !isEmpty ? `draft saved ${clockTime(Math.min(draft.keptAt, now))}` : ""}
        </span>
      </div>
      {mode === "reply" ? props.readers : null}
      <label className="sr-only" htmlFor={`composer-${props.where}`}>
        {mode === "note" ? "Note to the desk" : props.canNote ? `Reply to ${props.reader}` : props.reader}
      </label>
      <textarea
        id={`composer-${props.where}`}
        ref={(element) => {
          area.current = element;
          if (typeof props.ref === "function") props.ref(element);
          else if (props.ref) props.ref.current = element;
        }}
        rows={Math.min(props.isDocked ? 9 : 16, Math.max(2, text.split("\n").length + (isEmpty ? 1 : 0)))}
        value={text}
        placeholder={`${mode === "note" ? "What should the desk know?" : "Write…"}${props.suggest ? "   / for a phrase, # for a ticket or article" : ""}`}
        aria-autocomplete={props.suggest ? "list" : undefined}
        className="block max-h-[42vh] w-full resize-y rounded-small bg-transparent px-1.5 py-1 text-[15px] leading-[1.45]"
        onChange={(event) => {
          draft.set({ text: event.target.value });
          offers.look(event.target);
          props.onTyping?.();
        }}
        onKeyDown={(event) => {
          if (offers.onKey(event)) return;
          if (event.key === "Enter" && (event.ctrlKey || event.metaKey)) {
            event.preventDefault();
            send();
          }
          if ((event.ctrlKey || event.metaKey) && (event.key === "b" || event.key === "i")) {
            event.preventDefault();
            mark(event.key === "b" ? "**" : "_");
          }
          if (event.key === "Escape") event.currentTarget.blur();
        }}
        onBlur={offers.close}
        onPaste={(event) => {
          if (event.clipboardData.files.length > 0) {
            event.preventDefault();
            void add(event.clipboardData.files);
          }
        }}
      />
      {offers.isOpen ? <Suggestions id={`offers-${props.where}`} offers={offers} /> : null}
      {files.length > 0 ? (
        <ul className="mt-1 flex flex-wrap gap-2">
          {files.map((file) => (
            <li key={file.id} className="flex items-center gap-1.5 rounded-small border border-line-2 bg-sheet px-2 py-0.5 text-[13px]">
              {file.is_picture ? (
                <img src={`/api/attachments/${file.id}`} alt="" className="max-h-12 max-w-20 rounded object-cover" />
              ) : null}
              {file.name}
              <button
                type="button"
                className="min-h-[24px] min-w-[24px]"
                aria-label={`Remove ${file.name}`}
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
        <span className="mr-auto flex items-center">
          <Button tone="quiet" onClick={() => picker.current?.click()} disabled={isUploading}>
            <Paperclip size={14} aria-hidden="true" />
            {isUploading ? "Uploading…" : "Attach"}
          </Button>
          {props.suggest
            ? MARKS.map(([label, name, sign]) => (
                <Button
                  key={name}
                  tone="quiet"
                  aria-label={name}
                  title={`${name} (${sign})`}
                  className="px-2"
                  onMouseDown={(event) => event.preventDefault()}
                  onClick={() => mark(sign)}
                >
                  {label}
                </Button>
              ))
            : null}
        </span>
        {mode === "reply" && props.options && props.options.length > 0 ? (
          <DropdownMenu.Root>
            <DropdownMenu.Trigger asChild>
              <Button disabled={isEmpty || props.isSending}>
                Send and… <ChevronDown size={14} aria-hidden="true" />
              </Button>
            </DropdownMenu.Trigger>
            <DropdownMenu.Portal>
              <DropdownMenu.Content
                align="end"
                side="top"
                sideOffset={5}
                className="z-40 min-w-[190px] rounded-card border border-line-2 bg-sheet p-1"
              >
                {props.options.map((option) => (
                  <DropdownMenu.Item
                    key={option.label}
                    className="cursor-pointer rounded px-3 py-1.5 outline-none data-[highlighted]:bg-sea-3"
                    onSelect={() => option.does(text, ids, draft.clear)}
                  >
                    {option.label}
                  </DropdownMenu.Item>
                ))}
              </DropdownMenu.Content>
            </DropdownMenu.Portal>
          </DropdownMenu.Root>
        ) : null}
        <Button tone="sea" disabled={isEmpty || props.isSending} onClick={send} hint="Ctrl ↵">
          {props.isSending ? "Sending…" : mode === "note" ? "Save note" : "Send"}
        </Button>
      </div>
    </section>
  );
}
